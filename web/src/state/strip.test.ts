import { describe, expect, it } from "vitest";

import { patchOf } from "./strip";

const SIZE = { width: 600, height: 400 };

describe("the patch that is compared", () => {
  it("lies round the place", () => expect(patchOf([300, 200], SIZE, 100)).toEqual([250, 150, 100, 100]));
  it("begins in the middle", () => expect(patchOf(null, SIZE, 100)).toEqual([250, 150, 100, 100]));
  it("stays within the picture", () => {
    expect(patchOf([2, 399], SIZE, 100)).toEqual([0, 300, 100, 100]);
    expect(patchOf([300, 200], SIZE, 1000)).toEqual([0, 0, 600, 400]);
  });
});
