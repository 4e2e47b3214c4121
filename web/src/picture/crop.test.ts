import { describe, expect, it } from "vitest";

import { dragged, held, within } from "./crop";
import type { Point } from "./map";

const box = { x: 100, y: 50, width: 300, height: 200 };
const whole: Point[] = [
  [0, 0],
  [600, 0],
  [600, 400],
  [0, 400],
];

describe("a crop that is dragged", () => {
  it("moves by its inside and keeps its size", () => {
    expect(dragged(box, "inside", [20, -10], null)).toEqual({ x: 120, y: 40, width: 300, height: 200 });
  });
  it("keeps the far side or corner", () => {
    expect(dragged(box, "e", [30, 99], null)).toEqual({ ...box, width: 330 });
    expect(dragged(box, "n", [99, 30], null)).toEqual({ x: 100, y: 80, width: 300, height: 170 });
    const corner = dragged(box, "nw", [-40, -30], null);
    expect([corner.x + corner.width, corner.y + corner.height]).toEqual([400, 250]);
  });
  it("keeps a ratio by corners and by sides", () => {
    const corner = dragged(box, "se", [30, 20], 1.5);
    expect(corner).toEqual({ x: 100, y: 50, width: 330, height: 220 });
    const side = dragged(box, "s", [0, 40], 1.5);
    expect(side.width / side.height).toBeCloseTo(1.5, 9);
    expect(side.y).toBe(50);
    expect(side.x + side.width / 2).toBeCloseTo(250, 9);
  });
  it("is never turned inside out", () => {
    expect(dragged(box, "w", [5000, 0], null).width).toBe(16);
    expect(dragged(box, "se", [-5000, -5000], 1.5).height).toBeGreaterThan(10);
  });
});

describe("a crop within what was recorded", () => {
  it("lies within an outline that runs either way", () => {
    expect(within(box, whole)).toBe(true);
    expect(within(box, [...whole].reverse())).toBe(true);
    expect(within({ ...box, x: 301 }, whole)).toBe(false);
  });
  it("slides along a wall that it runs into", () => {
    const to = dragged(box, "inside", [900, 60], null);
    const got = held(box, to, whole);
    expect(got.x).toBeCloseTo(300, 1);
    expect(got.y).toBeCloseTo(110, 1);
  });
  it("stops at a wall with its shape kept", () => {
    const got = held(box, dragged(box, "se", [900, 600], 1.5), whole);
    expect(got.width / got.height).toBeCloseTo(1.5, 6);
    expect(within(got, whole)).toBe(true);
    expect(got.width).toBeCloseTo(500, 0);
  });
});
