import { type Channel, FROM, UP_TO } from "./points";

/** The plot of curves: its size in pixels, and where a stop lies in it. */
export const WIDTH = 252;
export const HEIGHT = 196;
export const LEFT = 24;
export const BOTTOM = 16;
export const SPAN = UP_TO - FROM;

export const plotX = (stop: number) => LEFT + ((stop - FROM) / SPAN) * (WIDTH - LEFT - 6);
export const plotY = (stop: number) => HEIGHT - BOTTOM - ((stop - FROM) / SPAN) * (HEIGHT - BOTTOM - 6);
/** Stops of a pixel of the plot, across and up. */
export const PER_PIXEL = { x: SPAN / (WIDTH - LEFT - 6), y: SPAN / (HEIGHT - BOTTOM - 6) };

export const INK: Record<Channel, string> = {
  points: "var(--crenn-palette-text-primary)",
  red: "hsl(8 70% 62%)",
  green: "hsl(140 45% 52%)",
  blue: "hsl(218 80% 68%)",
};
