import { describe, expect, it } from "vitest";

import { decimals, held, scaleOf } from "./dials";

const contrast = { low: 0.4, high: 2.5, increment: 0.01, scale: "linear" as const };
const temperature = { low: 1800, high: 20000, increment: 10, scale: "reciprocal" as const };

describe("a dial's values", () => {
  it("stay on its increments and within its range", () => {
    expect(held(contrast, 1.2345)).toBe(1.23);
    expect(held(contrast, -7)).toBe(0.4);
    expect(held(contrast, 1e9)).toBe(2.5);
    expect(held(temperature, 5604)).toBe(5600);
  });
  it("are written with the decimals of their increment", () => {
    expect([1, 0.5, 0.1, 0.05, 0.01, 10].map(decimals)).toEqual([0, 1, 1, 2, 2, 0]);
  });
});

describe("a dial's track", () => {
  it("begins and ends at its range and is its own inverse", () => {
    for (const p of [contrast, temperature]) {
      const { share, value } = scaleOf(p);
      expect(share(p.low)).toBeCloseTo(0, 12);
      expect(share(p.high)).toBeCloseTo(1, 12);
      for (const s of [0, 0.2, 0.77, 1]) expect(share(value(s))).toBeCloseTo(s, 9);
    }
  });
  it("is even in the reciprocal of temperatures: a step of light, not of kelvin", () => {
    const { value } = scaleOf(temperature);
    const mired = [0.25, 0.5, 0.75].map((s) => 1e6 / value(s));
    expect(mired[0] - mired[1]).toBeCloseTo(mired[1] - mired[2], 6);
  });
});
