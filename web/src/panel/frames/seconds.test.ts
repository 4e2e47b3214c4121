import { expect, it } from "vitest";

import { parseSeconds } from "./seconds";

it("reads exposure times as photographers write them", () => {
  expect(["1/60", " 1 / 4 s", "2,5", "30s", "0.5"].map(parseSeconds)).toEqual([1 / 60, 0.25, 2.5, 30, 0.5]);
});

it("takes nothing else", () => {
  for (const text of ["", "soon", "-1", "1/0", "0", "1/2/3", "36001", "1e3", "2 min", "NaN"])
    expect(parseSeconds(text), text).toBeNull();
});
