import { describe, expect, it } from "vitest";

import { toneAt } from "./scale";
import { stopOf } from "./TintMarks";

const TONES: [number, number][] = [
  [-12, 0],
  [-6, 10],
  [-3, 40],
  [0, 90],
  [2, 100],
];

describe("tints on the ladder", () => {
  it("find the stop of a tone, which is the tone of that stop", () => {
    for (const stop of [-11, -6, -4.2, -0.5, 1.9]) expect(stopOf(TONES, toneAt(TONES, stop)!)).toBeCloseTo(stop, 9);
  });
  it("end at the ends", () => {
    expect(stopOf(TONES, -5)).toBeLessThanOrEqual(-12);
    expect(stopOf(TONES, 120)).toBe(2);
  });
});
