import { describe, expect, it } from "vitest";

import type { Bendable } from "./bends";
import { sought } from "./search";

const dial = (name: string, step: string, title: string, help = "") =>
  ({ name, step, dial: { title, help } }) as unknown as Bendable;
const DIALS = [
  dial("white_balance.temperature", "White balance", "Temperature", "Colour of the light taken for white."),
  dial("exposure.ev", "Exposure", "Exposure", "Brightens or darkens the whole picture."),
  dial("placement.shadows", "Placement", "Open shadows", "Lifts what lies below the middle tones."),
  dial("relief.fine", "Relief", "Fine", "Stretches or evens small things."),
  dial("relief.medium", "Relief", "Medium", "Stretches or evens forms."),
  dial("sharpening.amount", "Sharpening", "Amount", "How far blur is taken back."),
  dial("tints.Shadows.amount", "Tints", "Shadows, amount"),
];
const names = (text: string) => sought(DIALS, text).map((d) => d.name);

describe("a dial to bend", () => {
  it("is found by its title, its step, other words and its help", () => {
    expect(names("open sh")).toEqual(["placement.shadows"]);
    expect(names("white balance")).toEqual(["white_balance.temperature"]);
    expect(names("sharpening")).toEqual(["sharpening.amount"]);
    expect(names("texture")).toEqual(["relief.fine"]);
    expect(names("warm")).toEqual(["white_balance.temperature"]);
    expect(names("blur")).toEqual(["sharpening.amount"]);
    expect(names("nothing like it")).toEqual([]);
  });

  it("stands with those of its step, the best step first", () => {
    expect(names("shadows")).toEqual(["tints.Shadows.amount", "placement.shadows"]);
    expect(names("amount")).toEqual(["sharpening.amount", "tints.Shadows.amount"]);
    expect(names("")).toHaveLength(DIALS.length);
  });
});
