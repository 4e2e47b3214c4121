import type { BrushStroke, Ellipse, Found, Part } from "../api/client";
import type { Point } from "../picture/map";

/** Full-size pixels from which what was found at a small size is drawn to edges. */
const DRAWN = 12;

/** How a part begins: it takes part, and adds to those before it. */
const BEGINS = { id: "", mode: "add", invert: false, on: true, soften: 0, refine: 0 } as const;

export const gradientOf = (start: Point, end: Point): Part => ({
  ...BEGINS,
  kind: "gradient",
  start,
  end,
  middle: 50,
  bow: 0,
});

export const ellipseOf = (centre: Point, radii: Point, more: Partial<Ellipse> = {}): Ellipse => ({
  ...BEGINS,
  kind: "ellipse",
  centre,
  radii,
  angle: 0,
  feather: 0.5,
  ...more,
});

export const brushOf = (strokes: BrushStroke[]): Part => ({
  ...BEGINS,
  kind: "brush",
  strokes,
  shift: [0, 0],
  over: false,
});

export const lightOf = (low: number, high: number, more: Partial<Part> = {}): Part =>
  ({ ...BEGINS, kind: "light", low, high, soft_low: 1, soft_high: 1, ...more }) as Part;

export const colourOf = (pick: { a: number; b: number; stop: number }): Part => ({
  ...BEGINS,
  kind: "colour",
  picks: [pick],
  width: 8,
  soft: 60,
  depth: 16,
});

export const foundOf = (what: Found["what"]): Part => ({
  ...BEGINS,
  kind: "found",
  what,
  refine: what === "subject" ? DRAWN : 0,
});

export const grownOf = (seed: { place: Point; outside: boolean; sure: boolean }, more: Partial<Part> = {}): Part =>
  ({ ...BEGINS, refine: DRAWN, kind: "grown", seeds: [seed], reach: 50, ...more }) as Part;

/** Stops beyond which a light range is open. */
export const OPEN: Point = [-32, 16];

const FOUND: Record<Found["what"], string> = {
  sky: "sky",
  ground: "ground",
  water: "water",
  lamps: "lamps",
  stars: "stars",
  subject: "subject",
};
export const FINDS = Object.keys(FOUND) as Found["what"][];

/** What a part is called. */
export const calls = (part: Part): string =>
  part.kind === "found"
    ? FOUND[part.what]
    : {
        gradient: "gradient",
        ellipse: "ellipse",
        brush: "brush",
        light: "light range",
        colour: "colours",
        grown: "region",
      }[part.kind];
