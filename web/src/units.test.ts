import { describe, expect, it } from "vitest";

import { bytes, duration, luminance, number, percent, shutter } from "./units";

describe("quantities as they are written", () => {
  it("have a real minus sign, and a plus where it is asked for", () => {
    expect(number(-1.25, 1)).toBe("\u22121.3");
    expect(number(0.75, 2, true)).toBe("+0.75");
    expect(number(-0.04, 1, true)).toBe("0.0");
    expect(number(0, 0, true)).toBe("0");
  });
  it("are times as on a camera", () => {
    expect([1 / 60, 1 / 4, 0.5, 15, 2.54].map(shutter)).toEqual(["1/60", "1/4", "0.5 s", "15 s", "2.5 s"]);
    expect([null, undefined, 0].map(shutter)).toEqual(["no time", "no time", "no time"]);
  });
  it("are shares that never claim nothing where there is something", () => {
    expect([0, 0.0001, 0.012, 0.35, 1].map(percent)).toEqual(["0 %", "<0.1 %", "1.2 %", "35 %", "100 %"]);
  });
  it("are luminances with two figures", () => {
    expect([0.001134, 0.2465, 2.2785, 76.8, 1534].map(luminance)).toEqual([
      "0.0011 cd/m²",
      "0.25 cd/m²",
      "2.3 cd/m²",
      "77 cd/m²",
      "1500 cd/m²",
    ]);
  });
  it("are sizes and times left", () => {
    expect(bytes(1500)).toBe("2 kB");
    expect(bytes(2_340_000)).toBe("2.3 MB");
    expect(bytes(77_011_200_000)).toBe("77.0 GB");
    expect(duration(4.2)).toBe("5 s left");
    expect(duration(61)).toBe("2 min left");
  });
});
