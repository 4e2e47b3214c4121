import { describe, expect, it } from "vitest";

import type { Scene, Treatment } from "../api/client";
import { automaticAt, numberAt, valueAt, withValue } from "./values";

const treatment = {
  exposure: { on: true, ev: null },
  placement: { on: true, rungs: [{ stop: -4, ev: 0.8 }] },
  areas: [
    { name: "Sky", bends: { "exposure.ev": 1 } },
    { name: "Quay", bends: {} },
  ],
} as unknown as Treatment;

describe("values by their place", () => {
  it("are read and set without touching the rest, automatic ones as null", () => {
    expect(numberAt(treatment, ["exposure", "ev"])).toBeNull();
    const brighter = withValue(treatment, ["exposure", "ev"], 1.5);
    expect(numberAt(brighter, ["exposure", "ev"])).toBe(1.5);
    expect(numberAt(treatment, ["exposure", "ev"])).toBeNull();
    expect(brighter.placement).toBe(treatment.placement);
  });
  it("are set within lists, and taken out of lists and sections", () => {
    const bent = withValue(treatment, ["areas", 1, "bends", "tone.contrast"], 1.2);
    expect(valueAt(bent, ["areas", 1, "bends"])).toEqual({ "tone.contrast": 1.2 });
    expect(bent.areas[0]).toBe(treatment.areas[0]);
    expect(valueAt(withValue(bent, ["areas", 0, "bends", "exposure.ev"], undefined), ["areas", 0, "bends"])).toEqual(
      {},
    );
    expect(withValue(bent, ["areas", 0], undefined).areas.map((a) => a.name)).toEqual(["Quay"]);
    expect(valueAt(treatment, ["areas", 5, "bends", "x"])).toBeUndefined();
  });
  it("come to what the scene makes of them", () => {
    const scene = { automatic: { values: { "exposure.ev": 2.3 } } } as unknown as Scene;
    expect(automaticAt(scene, ["exposure", "ev"], null)).toBe(2.3);
    expect(automaticAt(null, ["exposure", "ev"], 1.3)).toBe(1.3);
    expect(automaticAt(scene, ["areas", 0, "bends", "exposure.ev"], null)).toBe(0);
  });
});
