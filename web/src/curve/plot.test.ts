import { describe, expect, it } from "vitest";

import { besideLadder, SMALL } from "./plot";

const SCALE = { y: (stop: number) => 400 - 30 * stop } as Parameters<typeof besideLadder>[0];

describe("a plot of curves", () => {
  it("has stops where its places are", () => {
    for (const plot of [SMALL, besideLadder(SCALE, 700, 480)]) {
      const { at, to } = plot.stopsAt(plot.x(-3), plot.y(-5));
      expect(at).toBeCloseTo(-3);
      expect(to).toBeCloseTo(-5);
    }
  });
  it("lies on the ladder's stops beside it, as wide as high where there is room", () => {
    const plot = besideLadder(SCALE, 760, 480);
    expect(plot.y(-4)).toBe(SCALE.y(-4));
    expect(plot.x(1) - plot.x(0)).toBeCloseTo(30);
    expect(besideLadder(SCALE, 760, 240).width).toBe(240);
  });
});
