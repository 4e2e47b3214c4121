import { describe, expect, it } from "vitest";

import type { SceneSummary, Shoot } from "../api/client";
import { found } from "./library";

const scene = (title: string, more: Partial<SceneSummary> = {}) =>
  ({ id: 1, title, ready: true, choice: 0, binned: false, low_stop: -10, high_stop: 2, frames: [], ...more }) as never;
const shoot = (name: string, ...scenes: never[]) => ({ id: 1, name, scenes, refusals: [] }) as unknown as Shoot;
const titles = (shoots: Shoot[]) => shoots.flatMap((one) => one.scenes.map((s) => s.title));

describe("what is found in the library", () => {
  const frame = { name: "t-0042.dng", camera: "Crenn T1", lens: "24 mm", iso: 400, taken: "2026-10-17T18:00:05" };
  const all = [
    shoot("Tarrowick", scene("Basin", { frames: [frame] as never }), scene("Yard", { choice: 2 })),
    shoot("Elsewhere", scene("Old", { binned: true })),
  ];
  const look = (words: string, choice = 0, bin = false) => titles(found(all, { words, choice, bin }));
  it("holds all words, wherever they stand", () => {
    expect(look("")).toEqual(["Basin", "Yard"]);
    expect(look("t1 basin 2026-10")).toEqual(["Basin"]);
    expect(look("0042")).toEqual(["Basin"]);
    expect(look("tarrowick 12.0 stops")).toEqual(["Basin", "Yard"]);
    expect(look("nothing")).toEqual([]);
  });
  it("is chosen so far, and in the bin or not", () => {
    expect(look("", 2)).toEqual(["Yard"]);
    expect(look("", 0, true)).toEqual(["Old"]);
  });
  it("leaves shoots of which nothing is seen in their place only while nothing is sought", () => {
    expect(found(all, { words: "", choice: 0, bin: false }).length).toBe(2);
    expect(found(all, { words: "basin", choice: 0, bin: false }).length).toBe(1);
  });
});
