import { describe, expect, it } from "vitest";

import type { Series } from "../api/client";
import { along, evenly, flickerOf, placeAt } from "./series";

const member = (id: number, at: number) => ({
  id,
  at,
  title: `${id}`,
  taken: null,
  frames: 3,
  ready: true,
  picture_version: "1",
  key: false,
});
const series = (times: number[], light: Series["light"] = null): Series => ({
  interval: 20,
  members: times.map((at, i) => member(i, at)),
  missing: [],
  set_back: [],
  light,
});

describe("a series on its line", () => {
  it("lies by time, and the nearest scene is found", () => {
    const one = series([0, 20, 40, 100]);
    expect(along(one)).toEqual([0, 0.2, 0.4, 1]);
    expect([0, 0.29, 0.31, 0.9, 2].map((share) => placeAt(one, share))).toEqual([0, 1, 2, 3, 3]);
  });
  it("shows as many pictures as there is room for", () => {
    expect(evenly(3, 8)).toEqual([0, 1, 2]);
    expect(evenly(101, 5)).toEqual([0, 25, 50, 75, 100]);
    expect(evenly(9, 1)).toEqual([0]);
  });
  it("flickers by what departs from the smooth curve", () => {
    expect(flickerOf(series([0, 1]))).toBeNull();
    expect(flickerOf(series([0, 1], { curve: [0.3, 0.9], smooth: [0, 0.5], treated: 0 }))).toBeCloseTo(0.3536, 3);
  });
});
