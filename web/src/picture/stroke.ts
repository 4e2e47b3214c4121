import type { BrushStroke } from "../api/client";
import type { Point } from "./map";

/** Places of strokes are whole numbers of this part of the scene's longer side. */
export const GRID = 16384;
/** A stroke has at most so many points. */
export const MOST_POINTS = 1000;

/** A place that a stroke goes through, with the pressure of a pen there, 0 to 1. */
export interface Step {
  at: Point;
  pressure: number;
}

/** How far a place lies from a line between two others. */
function aside([x, y]: Point, [ax, ay]: Point, [bx, by]: Point): number {
  const [dx, dy] = [bx - ax, by - ay];
  const length = dx * dx + dy * dy;
  const t = length ? Math.min(1, Math.max(0, ((x - ax) * dx + (y - ay) * dy) / length)) : 0;
  return Math.hypot(x - ax - t * dx, y - ay - t * dy);
}

/** The fewest steps whose line keeps within a distance of all (Douglas and Peucker 1973); pressure counts as a way of a tenth of it. */
export function simplified(steps: Step[], close: number): Step[] {
  if (steps.length < 3) return steps;
  const kept = new Set([0, steps.length - 1]);
  const open: [number, number][] = [[0, steps.length - 1]];
  while (open.length) {
    const [first, last] = open.pop()!;
    let [most, at] = [0, -1];
    for (let i = first + 1; i < last; i++) {
      const share = (i - first) / (last - first);
      const evenly = steps[first].pressure + share * (steps[last].pressure - steps[first].pressure);
      const away = Math.max(
        aside(steps[i].at, steps[first].at, steps[last].at),
        Math.abs(steps[i].pressure - evenly) * 10 * close,
      );
      if (away > most) [most, at] = [away, i];
    }
    if (most > close) {
      kept.add(at);
      open.push([first, at], [at, last]);
    }
  }
  return [...kept].sort((a, b) => a - b).map((i) => steps[i]);
}

/** Steps as documents write them: on a grid, each as the way from the one before. */
export function written(steps: Step[]): Pick<BrushStroke, "points" | "pressure"> {
  const few =
    steps.length > MOST_POINTS
      ? steps
          .filter((_, i) => i % Math.ceil(steps.length / MOST_POINTS) === 0 || i === steps.length - 1)
          .slice(-MOST_POINTS)
      : steps;
  const held = (v: number) => Math.round(Math.min(5, Math.max(-4, v)) * GRID);
  const whole = few.map(({ at }) => at.map(held) as Point);
  const points = whole.flatMap(([x, y], i) => (i ? [x - whole[i - 1][0], y - whole[i - 1][1]] : [x, y]));
  const pressed = few.some((s) => s.pressure < 0.999);
  return { points, pressure: pressed ? few.map((s) => Math.round(Math.min(1, Math.max(0, s.pressure)) * 255)) : [] };
}

/** Where a stroke went. */
export function placesOf({ points }: Pick<BrushStroke, "points">): Point[] {
  const out: Point[] = [];
  let [x, y] = [0, 0];
  for (let i = 0; i + 1 < points.length; i += 2) {
    [x, y] = [x + points[i], y + points[i + 1]];
    out.push([x / GRID, y / GRID]);
  }
  return out;
}
