import type { Point } from "./map";

/** Places that a region is to grow from, and places that are something else. */
export interface Seed {
  place: Point;
  outside: boolean;
  /** Of what lies within a rough outline some is not meant. */
  sure: boolean;
}

/** How many of each a rough outline gives; together as many as a region may have. */
const [INSIDE, OUTSIDE] = [9, 15];
/** An outline is taken to be so far beyond what it is about, in shares of its size. */
const BEYOND = 0.12;
const TRIED = 24;

/** Whether a place lies within an outline (even and odd crossings). */
export function within(outline: readonly Point[], [x, y]: Point): boolean {
  let inside = false;
  outline.forEach(([ax, ay], i) => {
    const [bx, by] = outline[(i + 1) % outline.length];
    if (ay > y !== by > y && x < ax + ((y - ay) / (by - ay)) * (bx - ax)) inside = !inside;
  });
  return inside;
}

const far = (a: Point, b: Point) => Math.hypot(a[0] - b[0], a[1] - b[1]);
const nearest = (to: readonly Point[], at: Point) => Math.min(...to.map((p) => far(p, at)));

/** Places evenly spread along a closed line. */
function along(line: readonly Point[], count: number): Point[] {
  const lengths = line.map((p, i) => far(p, line[(i + 1) % line.length]));
  const total = lengths.reduce((a, b) => a + b, 0);
  return Array.from({ length: count }, (_, n) => {
    let left = (n / count) * total;
    let i = 0;
    while (left > lengths[i] && i < line.length - 1) left -= lengths[i++];
    const [a, b] = [line[i], line[(i + 1) % line.length]];
    const share = lengths[i] ? left / lengths[i] : 0;
    return [a[0] + share * (b[0] - a[0]), a[1] + share * (b[1] - a[1])];
  });
}

/**
 * Seeds of a region by a rough outline of it: within, well off the outline and off each other; and a little beyond it.
 * `holds` tells whether a place lies in the scene.
 */
export function seedsOf(outline: readonly Point[], holds: (at: Point) => boolean): Seed[] {
  if (outline.length < 3) return [];
  const xs = outline.map((p) => p[0]);
  const ys = outline.map((p) => p[1]);
  const [low, high] = [
    [Math.min(...xs), Math.min(...ys)],
    [Math.max(...xs), Math.max(...ys)],
  ];
  const size = Math.hypot(high[0] - low[0], high[1] - low[1]);
  const edge = along(outline, 60);
  const candidates: Point[] = [];
  for (let i = 0; i < TRIED; i++)
    for (let j = 0; j < TRIED; j++) {
      const at: Point = [
        low[0] + ((i + 0.5) / TRIED) * (high[0] - low[0]),
        low[1] + ((j + 0.5) / TRIED) * (high[1] - low[1]),
      ];
      if (within(outline, at) && holds(at)) candidates.push(at);
    }
  const inside: Point[] = [];
  // Each is as far as can be from the outline and from those before it.
  while (inside.length < INSIDE && candidates.length) {
    const worth = (p: Point) => Math.min(2 * nearest(edge, p), inside.length ? nearest(inside, p) : Infinity);
    const best = candidates.reduce((a, b) => (worth(b) > worth(a) ? b : a));
    if (inside.length && worth(best) < 0.03 * size) break;
    inside.push(best);
  }
  const middle: Point = [(low[0] + high[0]) / 2, (low[1] + high[1]) / 2];
  const outside = along(outline, OUTSIDE)
    .map((p): Point => {
      const away = Math.max(far(p, middle), 1e-6);
      const by = (BEYOND * size) / away;
      return [p[0] + (p[0] - middle[0]) * by, p[1] + (p[1] - middle[1]) * by];
    })
    .filter((p) => holds(p) && !within(outline, p));
  return [
    ...inside.map((place) => ({ place, outside: false, sure: false })),
    ...outside.map((place) => ({ place, outside: true, sure: true })),
  ];
}
