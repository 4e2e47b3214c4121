import { describe, expect, it } from "vitest";

import { glowOfStop, stopOfGlow } from "./glow";

/** Stops that come to half as many EV of the picture, whose white is at 0. */
const tones = Array.from({ length: 25 }, (_, i): [number, number] => [i / 2 - 10, Math.min(100, 10 * (i / 2))]);
const lines = Array.from({ length: 49 }, (_, i): [number, number] => [
  i / 2 - 20,
  Math.min(100, Math.max(0, 10 * ((i / 2 - 20) / 2 + 10))),
]);

describe("the stop from which on light spills", () => {
  it("lies where the picture turns white, and as far above as the placement is steep", () => {
    expect(stopOfGlow(lines, tones, 0)).toBeCloseTo(-0.16, 1);
    expect(stopOfGlow(lines, tones, -2)! - stopOfGlow(lines, tones, 0)!).toBeCloseTo(-4, 5);
    expect(stopOfGlow(lines, tones, 1.5)! - stopOfGlow(lines, tones, 0)!).toBeCloseTo(3, 5);
  });
  it("is its own inverse", () => {
    for (const threshold of [-6, -1.3, 0, 2.4])
      expect(glowOfStop(lines, tones, stopOfGlow(lines, tones, threshold)!)).toBeCloseTo(threshold, 6);
  });
  it("is nowhere without a placement", () => {
    expect(stopOfGlow([], tones, 0)).toBeNull();
    expect(glowOfStop([], tones, 0)).toBe(0);
  });
});
