import { create } from "zustand";
import { persist } from "zustand/middleware";

import { preview, store } from "./scene";

export interface KeptRatio {
  name: string;
  sides: [number, number];
}

/** Ratios of one's own, by name; they stay in this browser. */
export const useRatios = create<{ kept: KeptRatio[] }>()(
  persist((): { kept: KeptRatio[] } => ({ kept: [] }), { name: "crenn-ratios" }),
);

/** So many are kept at most, and a name has at most so many letters. */
const MOST = 12;
export const LONGEST = 24;

/** Keep a ratio by a name, in place of what was kept by it. */
export function keepRatio(name: string, sides: [number, number]) {
  const called = name.trim().slice(0, LONGEST);
  if (!called) return;
  useRatios.setState((s) => ({
    kept: [...s.kept.filter((r) => r.name !== called), { name: called, sides }].slice(-MOST),
  }));
}

export const forgetRatio = (name: string) =>
  useRatios.setState((s) => ({ kept: s.kept.filter((r) => r.name !== name) }));

/** Crop by a ratio that was kept. */
export function takeRatio({ name, sides }: KeptRatio) {
  preview((t) => ({ ...t, crop: { ...t.crop, ratio: "own", own: [...sides] } }));
  store(`Ratio ${name}`);
}
