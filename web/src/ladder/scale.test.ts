import { describe, expect, it } from "vitest";

import type { Report } from "../api/client";
import { ends, evAt, makeScale, span, toneAt } from "./scale";

const report = {
  low_stop: -9.4,
  high_stop: 2.2,
  noise_horizon: -11.8,
  frames: [
    { clip_stop: 3.9, noise_stop: -8 },
    { clip_stop: 0, noise_stop: -13.2 },
  ],
} as unknown as Report;

describe("the ladder's scale", () => {
  it("spans what the frames measured, not farther than three stops below the scene", () => {
    expect(span(report)).toEqual([-13.5, 4.5]);
  });
  it("gives every stop the same height and is its own inverse", () => {
    const scale = makeScale(report, 640);
    const perStop = scale.y(0) - scale.y(1);
    for (const stop of [-12, -5, 0, 3]) {
      expect(scale.y(stop - 1) - scale.y(stop)).toBeCloseTo(perStop, 9);
      expect(scale.stopAt(scale.y(stop))).toBeCloseTo(stop, 9);
    }
    expect(scale.y(4.5)).toBeCloseTo(scale.top, 9);
    expect(scale.y(-13.5)).toBeCloseTo(scale.bottom, 9);
    expect(scale.tone(0)).toBe(scale.bottom);
    expect(scale.tone(100)).toBe(scale.top);
  });
});

describe("placement lines", () => {
  const lines: [number, number][] = [
    [-4, 0.1],
    [-2, 20],
    [0, 60],
    [2, 99.8],
    [3, 100],
  ];
  it("are read between their stops and held beyond", () => {
    expect(toneAt(lines, -1)).toBe(40);
    expect(toneAt(lines, -9)).toBe(0.1);
    expect(toneAt(lines, 9)).toBe(100);
    expect(toneAt([], 0)).toBeNull();
  });
  it("tell the first stop on white and the last on black", () => {
    expect(ends(lines)).toEqual({ white: 2, black: -4 });
    expect(ends([[0, 50]])).toEqual({ white: null, black: null });
  });
  it("finds the light that is shown as a tone, and the ends where they begin", () => {
    const tones: [number, number][] = [
      [-12, 0],
      [-8, 0],
      [-4, 20],
      [0, 80],
      [2, 100],
      [4, 100],
    ];
    expect(evAt(tones, 50)).toBeCloseTo(-2, 9);
    expect(evAt(tones, 100)).toBe(2);
    expect(evAt(tones, 0)).toBe(-8);
    expect(evAt([], 30)).toBe(0);
  });
});
