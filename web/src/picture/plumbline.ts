import { create } from "zustand";

import type { Point } from "./map";

export interface Line {
  from: Point;
  to: Point;
}

/** The line being drawn, in full-size pixels of the picture, and the tool that draws it. */
export const useLine = create<{ line: Line | null }>(() => ({ line: null }));

/** The turn, in degrees, that makes a line lie or stand, whichever is nearer. */
export function levelOf({ from, to }: Line): number {
  const lies = (-Math.atan2(to[1] - from[1], to[0] - from[0]) * 180) / Math.PI;
  return ((((lies + 45) % 90) + 90) % 90) - 45;
}
