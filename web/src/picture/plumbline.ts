import { create } from "zustand";

import type { Point } from "./map";

interface Line {
  from: Point;
  to: Point;
}

/** The line being drawn to level by, in places of the scene. */
export const usePlumb = create<{ line: Line | null }>(() => ({ line: null }));

/** The turn, in degrees, that makes a line lie or stand, whichever is nearer. */
export function levelOf({ from, to }: Line): number {
  const lies = (-Math.atan2(to[1] - from[1], to[0] - from[0]) * 180) / Math.PI;
  return ((((lies + 45) % 90) + 90) % 90) - 45;
}
