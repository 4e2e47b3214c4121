import { expect, test } from "vitest";

import { bytesTyped } from "./MostInput";

test("bytes from GB as typed, with either sign for decimals", () => {
  expect(bytesTyped("1.5")).toBe(1_500_000_000);
  expect(bytesTyped(" 0,25 ")).toBe(250_000_000);
  expect(bytesTyped("")).toBeNull();
  for (const wrong of ["a", "-1", "1e9", "1.2.3"]) expect(bytesTyped(wrong)).toBeUndefined();
});
