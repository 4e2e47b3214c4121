import { describe, expect, it } from "vitest";

import { movedWith } from "./rungs";

describe("the stops that move with a rung", () => {
  it("are four to either side, the nearer the more", () => {
    const share = movedWith([], -6);
    expect(share(-6)).toBeCloseTo(1, 6);
    expect(share(-10)).toBe(0);
    expect(share(-2)).toBe(0);
    for (let s = -10; s < -6; s += 0.25) expect(share(s + 0.25)).toBeGreaterThanOrEqual(share(s));
  });
  it("end at a neighbouring rung", () => {
    const share = movedWith([{ stop: -8, ev: 1 }], -6);
    expect(share(-8)).toBeLessThan(1e-9);
    expect(share(-7)).toBeGreaterThan(0.2);
    // Beyond the neighbour only the slope through it changes.
    expect(share(-11)).toBeLessThan(0.25);
  });
  it("are the same for a rung at its limit", () => {
    const most = movedWith([{ stop: -6, ev: 8 }], -6);
    expect(most(-6)).toBeCloseTo(1, 6);
  });
});
