import { describe, expect, it } from "vitest";

import { GRID, MOST_POINTS, placesOf, simplified, type Step, written } from "./stroke";

const line = (count: number): Step[] =>
  [...Array(count).keys()].map((i) => ({ at: [0.1 + (0.5 * i) / (count - 1), 0.3], pressure: 1 }));

describe("strokes", () => {
  it("read as they were written, to the grid", () => {
    const steps: Step[] = [
      [0.25, 0.5],
      [0.3, 0.45],
      [0.29, 0.6],
    ].map((at) => ({ at: at as [number, number], pressure: 1 }));
    const back = placesOf(written(steps));
    back.forEach(([x, y], i) => {
      expect(Math.abs(x - steps[i].at[0])).toBeLessThan(1 / GRID);
      expect(Math.abs(y - steps[i].at[1])).toBeLessThan(1 / GRID);
    });
  });
  it("do not add up what they are rounded by", () => {
    const [x] = placesOf(written(line(900))).at(-1)!;
    expect(Math.abs(x - 0.6)).toBeLessThan(1 / GRID);
  });
  it("keep the ends of a straight line and nothing between", () => {
    expect(simplified(line(50), 0.0005).map((s) => s.at[0])).toEqual([0.1, 0.6]);
  });
  it("keep within the distance that is asked of every step", () => {
    const wave: Step[] = [...Array(200).keys()].map((i) => ({
      at: [i / 200, 0.3 + 0.05 * Math.sin(i / 9)],
      pressure: 1,
    }));
    const kept = simplified(wave, 0.002);
    expect(kept.length).toBeLessThan(80);
    for (const { at } of wave) {
      const i = kept.findIndex((s) => s.at[0] >= at[0]);
      const [a, b] = [kept[Math.max(i - 1, 0)].at, kept[i].at];
      const t = b[0] > a[0] ? (at[0] - a[0]) / (b[0] - a[0]) : 0;
      expect(Math.abs(a[1] + t * (b[1] - a[1]) - at[1])).toBeLessThan(0.004);
    }
  });
  it("keep a pen's pressure where it changes, and say nothing of it where there is none", () => {
    const pressed = line(40).map((s, i) => ({ ...s, pressure: i < 20 ? 0.2 : 0.9 }));
    const kept = simplified(pressed, 0.0005);
    expect(kept.length).toBeGreaterThan(3);
    expect(written(kept).pressure).toHaveLength(kept.length);
    expect(written(line(5)).pressure).toEqual([]);
  });
  it("have no more points than a document may have", () => {
    expect(placesOf(written(line(5000))).length).toBeLessThanOrEqual(MOST_POINTS);
  });
});
