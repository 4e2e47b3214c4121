import { expect, test } from "vitest";

import { rangeUpTo } from "./range";

test("all between the frame taken last and the one asked for is taken, either way", () => {
  expect(rangeUpTo([1, 2, 3, 4, 5], [2], 4)).toEqual([2, 3, 4]);
  expect(rangeUpTo([1, 2, 3, 4, 5], [4], 2)).toEqual([3, 4, 2]);
  expect(rangeUpTo([1, 2, 3, 4, 5], [1, 3], 5)).toEqual([1, 3, 4, 5]);
  expect(rangeUpTo([1, 2, 3], [9], 2)).toEqual([2]);
});
