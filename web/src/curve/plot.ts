import type { Scale } from "../ladder/scale";
import { type Channel, FROM, UP_TO } from "./points";

/** How a plot of curves lies: its size in pixels, and where a stop lies in it. */
export interface Plot {
  width: number;
  height: number;
  left: number;
  right: number;
  top: number;
  bottom: number;
  x: (stop: number) => number;
  y: (stop: number) => number;
  /** Stops of a pixel, across and up. */
  perPixel: { x: number; y: number };
  /** Stops of a place. */
  stopsAt: (x: number, y: number) => { at: number; to: number };
}

const LEFT = 24;
const BOTTOM = 16;
const EDGE = 6;

function laid(width: number, height: number, up: { bottom: number; perStop: number }, top: number): Plot {
  const [right, bottom] = [width - EDGE, height - BOTTOM];
  const perPixel = { x: (UP_TO - FROM) / (right - LEFT), y: 1 / up.perStop };
  return {
    width,
    height,
    left: LEFT,
    right,
    top,
    bottom,
    x: (stop) => LEFT + (stop - FROM) / perPixel.x,
    y: (stop) => up.bottom - (stop - FROM) * up.perStop,
    perPixel,
    stopsAt: (x, y) => ({ at: FROM + (x - LEFT) * perPixel.x, to: FROM + (up.bottom - y) * perPixel.y }),
  };
}

/** The plot in a panel. */
export const SMALL = laid(252, 196, { bottom: 180, perStop: 174 / (UP_TO - FROM) }, EDGE);

/** The plot beside the ladder: what leaves the curve lies where the ladder has that stop. */
export function besideLadder(scale: Scale, height: number, widest: number): Plot {
  const perStop = scale.y(0) - scale.y(1);
  const width = Math.min(Math.round((UP_TO - FROM) * perStop) + LEFT + EDGE, widest);
  return laid(width, height, { bottom: scale.y(FROM), perStop }, Math.max(scale.y(UP_TO), EDGE));
}

export const INK: Record<Channel, string> = {
  points: "var(--crenn-palette-text-primary)",
  red: "hsl(8 70% 62%)",
  green: "hsl(140 45% 52%)",
  blue: "hsl(218 80% 68%)",
};
