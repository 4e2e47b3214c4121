import { beforeEach, describe, expect, it } from "vitest";

import type { Area, Scene, Treatment } from "../api/client";
import {
  byStop,
  choose,
  farthest,
  freeName,
  freeStop,
  nameOf,
  rangeOf,
  removeItem,
  rename,
  setItem,
  setItems,
  useColour,
} from "./colour";
import { useScene } from "./scene";

const range = (name: string, hue: number) => rangeOf(name, { hue, spread: 3 });
const tint = (name: string, stop: number) => ({ name, on: true, stop, hue: 250, amount: 0, lightness: 0 });

describe("ranges and tints", () => {
  beforeEach(() => {
    const treatment = {
      hues: { on: false, ranges: [range("Red", 29), range("Blue", 264)] },
      tints: { on: true, points: [tint("Dark", -6)] },
    };
    useScene.setState({ scene: { id: 1 } as Scene, treatment: treatment as unknown as Treatment });
    useColour.setState({ chosen: null });
  });
  const hues = () => useScene.getState().treatment!.hues;

  it("are changed one at a time, and their step is on then", () => {
    const before = hues().ranges[0];
    setItem("ranges", 1, { shift: 12 });
    expect(hues().ranges[1].shift).toBe(12);
    expect(hues().ranges[0]).toBe(before);
    expect(hues().on).toBe(true);
  });
  it("are added and taken away", () => {
    setItems("ranges", (all) => [...all, range("Green", 142)]);
    setItems("ranges", (all) => all.filter((_, i) => i !== 0));
    expect(hues().ranges.map((r) => r.name)).toEqual(["Blue", "Green"]);
  });
  it("are chosen by name, so that another order does not matter", () => {
    choose("ranges", "Blue");
    setItems("ranges", (all) => [...all].reverse());
    expect(useColour.getState().chosen).toEqual({ list: "ranges", name: "Blue" });
  });
  it("keep what areas bend of them under another name, and take it with them", () => {
    const areas = [
      { name: "A", bends: { "hues.Blue.shift": 5, "hues.Blue 2.shift": 6, "exposure.ev": 1 } },
    ] as unknown as Area[];
    useScene.setState((s) => ({ treatment: { ...s.treatment!, areas } }));
    const bends = () => useScene.getState().treatment!.areas[0].bends;
    expect(rename("ranges", 1, "Red")).toBe(false);
    expect(rename("ranges", 1, "a.b")).toBe(false);
    expect(rename("ranges", 1, "Sky")).toBe(true);
    expect(hues().ranges[1].name).toBe("Sky");
    expect(bends()).toEqual({ "hues.Sky.shift": 5, "hues.Blue 2.shift": 6, "exposure.ev": 1 });
    removeItem("ranges", 1);
    expect(bends()).toEqual({ "hues.Blue 2.shift": 6, "exposure.ev": 1 });
  });
  it("have names of their own", () => {
    expect(freeName(["Blue", "Blue 2"], "Blue")).toBe("Blue 3");
    expect(freeName([], "Blue")).toBe("Blue");
  });
  it("are called by the usual range that is nearest", () => {
    const usual = [
      { name: "Red", hue: 29 },
      { name: "Purple", hue: 312 },
    ];
    expect(nameOf(5, usual)).toBe("Red");
    expect(nameOf(345, usual)).toBe("Purple");
  });
  it("are as wide as what was picked, within limits", () => {
    expect(rangeOf("a", { hue: 361.2, spread: 0 })).toMatchObject({ hue: 1, width: 16 });
    expect(rangeOf("a", { hue: 20, spread: 10 }).width).toBe(40);
    expect(rangeOf("a", { hue: 20, spread: 99 }).width).toBe(90);
  });
  it("of tones lie apart, by rising stop", () => {
    expect(byStop("points", [tint("a", -1), tint("b", -5)]).map((t) => t.name)).toEqual(["b", "a"]);
    expect(freeStop([-6, -3, -1], 1, -9)).toBe(-5.5);
    expect(freeStop([-6, -3, -1], 1, 0)).toBe(-1.5);
    expect(freeStop([-6], 0, -40)).toBe(-12);
    expect(farthest([])).toBe(-3.5);
    expect(farthest([-9, -1])).toBe(-5);
  });
});
