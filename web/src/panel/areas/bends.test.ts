import { describe, expect, it } from "vitest";

import type { Area, Step, Treatment } from "../../api/client";
import { bendable, leavable, summary } from "./bends";

const dial = (step: string, name: string, title: string, more: object = {}) => ({
  kind: "dial",
  step,
  name,
  title,
  help: "",
  unit: "EV",
  low: -2,
  high: 2,
  increment: 0.05,
  default: 0,
  shows: null,
  scale: "linear",
  group: null,
  turns: false,
  bend: { kind: "add", low: -1, high: 1, increment: 0.05 },
  ...more,
});
const STEPS = [
  {
    name: "inks",
    title: "By family",
    items: {},
    parameters: [dial("inks", "red_cyan", "Cyan", { group: "Reds" }), dial("inks", "still", "Still", { bend: null })],
  },
  {
    name: "hues",
    title: "Hues",
    items: { ranges: [dial("hues", "shift", "Hue"), dial("hues", "width", "Width", { bend: null })] },
    parameters: [],
  },
] as unknown as Step[];
const TREATMENT = { hues: { ranges: [{ name: "Lamps" }, { name: "Sky" }] } } as unknown as Treatment;

describe("what areas can bend", () => {
  it("is told with the group or the item that it is of", () => {
    const found = bendable(STEPS, TREATMENT).map((d) => [d.name, d.dial.title]);
    expect(found).toEqual([
      ["inks.red_cyan", "Reds, cyan"],
      ["hues.Lamps.shift", "Lamps, hue"],
      ["hues.Sky.shift", "Sky, hue"],
    ]);
  });
  it("has no items while there is no treatment", () => {
    expect(bendable(STEPS, null)).toHaveLength(1);
  });
  it("is said in words", () => {
    const area = {
      acts: "light",
      without: [],
      take: null,
      bends: { "hues.Sky.shift": -0.5, "inks.red_cyan": 0 },
    } as unknown as Area;
    expect(summary(area, bendable(STEPS, TREATMENT))).toBe("sky, hue \u22120.50 EV");
    const lit = { acts: "added", without: ["inks"], bends: {} } as unknown as Area;
    expect(summary(lit, bendable(STEPS, TREATMENT))).toBe("light added, without By family");
  });
  it("has steps that can be left out, once", () => {
    const steps = [
      { ...STEPS[0], left_out: true },
      { ...STEPS[1], left_out: false },
    ];
    expect(leavable(steps, []).map((d) => d.dial.title)).toEqual(["Leave out By family"]);
    expect(leavable(steps, ["inks"])).toEqual([]);
  });
});
