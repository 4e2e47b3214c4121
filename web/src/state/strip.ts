import { create } from "zustand";

import type { Point } from "../picture/map";
import { perScene } from "./perScene";

/** Strengths that a patch is shown at, in multiples of the noise. */
export const STRENGTHS = [0, 0.5, 1, 1.5, 2];

interface StripState {
  /** Middle of the patch, in full-size pixels of the picture; null is the picture's middle. */
  at: Point | null;
}

export const useStrip = create<StripState>(() => ({ at: null }));
perScene(useStrip);

/** Space between the patches, and the largest side of one, in points of the screen. */
const GAP = 6;
const MOST = 150;

/** Side of a patch where the pane is so wide. */
export const sideOf = (width: number) => Math.floor(Math.min(MOST, (width - GAP) / STRENGTHS.length - GAP));

/** The patch of a side round a place, as x, y, width and height within a picture. */
export function patchOf(
  at: Point | null,
  size: { width: number; height: number },
  side: number,
): [number, number, number, number] {
  const width = Math.min(side, size.width);
  const height = Math.min(side, size.height);
  const [x, y] = at ?? [size.width / 2, size.height / 2];
  const from = (middle: number, length: number, whole: number) =>
    Math.min(Math.max(Math.round(middle - length / 2), 0), whole - length);
  return [from(x, width, size.width), from(y, height, size.height), width, height];
}
