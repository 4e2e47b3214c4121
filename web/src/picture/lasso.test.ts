import { describe, expect, it } from "vitest";

import { seedsOf, within } from "./lasso";
import type { Point } from "./map";

const ring = (radius: number, at: Point = [0.5, 0.4]): Point[] =>
  Array.from({ length: 40 }, (_, i) => [
    at[0] + radius * Math.cos((i / 20) * Math.PI),
    at[1] + radius * Math.sin((i / 20) * Math.PI),
  ]);

describe("a rough outline", () => {
  it("tells what lies within it", () => {
    expect(within(ring(0.2), [0.5, 0.4])).toBe(true);
    expect(within(ring(0.2), [0.5, 0.65])).toBe(false);
  });
  it("gives places within it, spread, and places a little beyond it", () => {
    const seeds = seedsOf(ring(0.2), () => true);
    const [inside, outside] = [false, true].map((o) => seeds.filter((s) => s.outside === o).map((s) => s.place));
    expect(inside).toHaveLength(9);
    expect(outside).toHaveLength(15);
    const away = ([x, y]: Point) => Math.hypot(x - 0.5, y - 0.4);
    for (const place of inside) expect(away(place)).toBeLessThan(0.2);
    for (const place of outside) expect(away(place)).toBeGreaterThan(0.22);
    expect(Math.max(...inside.map(away))).toBeGreaterThan(0.1);
  });
  it("leaves out what lies beyond the scene, and says nothing of a line", () => {
    const seeds = seedsOf(ring(0.2, [0.05, 0.4]), ([x]) => x >= 0);
    expect(seeds.every((s) => s.place[0] >= 0)).toBe(true);
    expect(seedsOf([[0, 0]], () => true)).toEqual([]);
  });
});
