import { describe, expect, it } from "vitest";

import { apart, arcPath, DISC, ink, place, polar, radiusOf, SIDE, saturationAt, turned } from "./polar";

describe("the circle of hues", () => {
  it("has red to the right and hues rising against the clock", () => {
    const [x, y] = place(0, 50);
    expect([x, y]).toEqual([SIDE / 2 + 50, SIDE / 2]);
    expect(place(90, 50)[1]).toBeCloseTo(SIDE / 2 - 50);
  });
  it("is read as it is drawn", () => {
    for (const hue of [0, 33.5, 179, 264.1, 359]) {
      const back = polar(...place(hue, 70));
      expect(back.hue).toBeCloseTo(hue, 6);
      expect(back.radius).toBeCloseTo(70, 6);
    }
  });
  it("tells the shorter way between hues", () => {
    expect(apart(10, 350)).toBe(20);
    expect(apart(350, 10)).toBe(-20);
    expect(turned(350, 20)).toBe(10);
    expect(turned(10, -20)).toBe(350);
  });
  it("draws saturation by its root, up to the edge of the disc", () => {
    expect(radiusOf(0, 0.6)).toBe(0);
    expect(radiusOf(0.6, 0.6)).toBe(DISC);
    expect(radiusOf(5, 0.6)).toBe(DISC);
    expect(radiusOf(0.15, 0.6)).toBeCloseTo(DISC / 2);
    for (const s of [0.01, 0.2, 0.5]) expect(saturationAt(radiusOf(s, 0.6), 0.6)).toBeCloseTo(s, 9);
  });
  it("draws arcs the long way round where they are long, and whole circles", () => {
    expect(arcPath(0, 90, 50)).toContain("A 50 50 0 0 0");
    expect(arcPath(0, 270, 50)).toContain("A 50 50 0 1 0");
    expect(arcPath(0, 360, 50).match(/A /g)).toHaveLength(2);
  });
  it("inks a hue as the screen shows it", () => {
    expect(ink(264, 0.2, 0.7)).toBe("oklch(0.7 0.140 264.0)");
  });
});
