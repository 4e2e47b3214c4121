import { beforeEach, describe, expect, it } from "vitest";

import { beyondSeam, compareWith, endComparing, setWay, type Shown, useCompare } from "./compare";

const other = (key: string) => ({ key, title: key, shown: (now: Shown) => now });
const keys = () => useCompare.getState().others.map((o) => o.key);

beforeEach(() => useCompare.setState(useCompare.getInitialState(), true));

describe("what is compared with", () => {
  it("is one by a seam, and some beside", () => {
    compareWith(other("a"));
    compareWith(other("b"));
    expect(keys()).toEqual(["b"]);
    setWay("beside");
    for (const key of ["c", "d", "e"]) compareWith(other(key));
    expect(keys()).toEqual(["c", "d", "e"]);
    compareWith(other("d"));
    expect(keys()).toEqual(["c", "e"]);
    setWay("difference");
    expect(keys()).toEqual(["e"]);
    endComparing();
    expect(keys()).toEqual([]);
  });
});

describe("the far side of the seam", () => {
  /** Whether a place lies within a polygon. */
  const within = ([x, y]: [number, number], corners: [number, number][]) =>
    corners.reduce((inside, [ax, ay], i) => {
      const [bx, by] = corners[(i + 1) % corners.length];
      return ay > y !== by > y && x < ((bx - ax) * (y - ay)) / (by - ay) + ax ? !inside : inside;
    }, false);
  it("lies right of one that stands, and above or below one that lies", () => {
    const standing = beyondSeam({ x: 0.4, y: 0.5, angle: 0 }, 800, 600);
    expect([within([0.5, 0.9], standing), within([0.3, 0.1], standing)]).toEqual([true, false]);
    const lying = beyondSeam({ x: 0.5, y: 0.4, angle: 90 }, 800, 600);
    expect([within([0.9, 0.1], lying), within([0.1, 0.6], lying)]).toEqual([true, false]);
  });
});
