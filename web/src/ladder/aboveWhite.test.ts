import { describe, expect, it } from "vitest";

import { evOfStop, shareAbove, stopOfEv, whiteOf } from "./aboveWhite";

/** Stops that come to half as many EV of the picture, whose white is at 0. */
const tones = Array.from({ length: 25 }, (_, i): [number, number] => [i / 2 - 10, Math.min(100, 10 * (i / 2))]);
const lines = Array.from({ length: 49 }, (_, i): [number, number] => [
  i / 2 - 20,
  Math.min(100, Math.max(0, 10 * ((i / 2 - 20) / 2 + 10))),
]);

const white = whiteOf(tones);

describe("a light above white on the stops of the scene", () => {
  it("lies where the picture turns white, and as far above as the placement is steep", () => {
    expect(stopOfEv(lines, tones, white)).toBeCloseTo(-0.16, 1);
    expect(stopOfEv(lines, tones, white - 2)! - stopOfEv(lines, tones, white)!).toBeCloseTo(-4, 5);
    expect(stopOfEv(lines, tones, white + 1.5)! - stopOfEv(lines, tones, white)!).toBeCloseTo(3, 5);
  });
  it("is its own inverse", () => {
    for (const ev of [-6, -1.3, 0, 2.4]) expect(evOfStop(lines, tones, stopOfEv(lines, tones, ev)!)).toBeCloseTo(ev, 6);
  });
  it("has so much of the scene above it", () => {
    const report = { histogram: [0.5, 0.3, 0.2], histogram_start: -2, histogram_bin: 1 };
    expect([-9, -2, -1, -0.5, 1, 4].map((stop) => shareAbove(report, stop))).toEqual(
      [1, 1, 0.5, 0.35, 0, 0].map((v) => expect.closeTo(v, 9) as number),
    );
  });
  it("is nowhere without a placement", () => {
    expect(stopOfEv([], tones, 0)).toBeNull();
    expect(evOfStop([], tones, 0)).toBeNull();
  });
});
