import type { Ellipse, Gradient, Part } from "../api/client";
import type { Point } from "./map";

/** Shares of a mask at which its contours are drawn. */
export const LEVELS = [0.25, 0.5, 0.75] as const;
export type Level = (typeof LEVELS)[number];
/** What of a shape is taken hold of. */
export type ShapeGrip = "whole" | "size" | "inner" | "outer" | "turn";

const POINTS = 72;
const FAR = 1.5;

/** Where along its fall, 0 at nothing to 1 at full, a mask has a share: t²(3 − 2t) solved for t. */
export const along = (share: number) => 0.5 - Math.sin(Math.asin(1 - 2 * share) / 3);

const plus = ([x, y]: Point, [dx, dy]: Point, by = 1): Point => [x + dx * by, y + dy * by];
const minus = ([x, y]: Point, [ax, ay]: Point): Point => [x - ax, y - ay];

/** A contour of a shape, as places of the scene. */
export function contour(part: Part, level: Level): Point[] {
  return part.kind === "gradient" ? gradientLine(part, level) : ring(part, radiusAt(part, level));
}

/** Where a contour stands out from the middle of an ellipse, in its radii. */
export const radiusAt = ({ feather }: Ellipse, level: Level) => 1 + feather * (1 - 2 * along(level));

function gradientLine({ start, end }: Gradient, level: Level): Point[] {
  const way = minus(end as Point, start as Point);
  const length = Math.hypot(...way);
  const middle = plus(start as Point, way, 1 - along(level));
  const across: Point = [-way[1] / length, way[0] / length];
  return [...Array(33).keys()].map((i) => plus(middle, across, FAR * (i / 16 - 1)));
}

function ring({ centre, radii, angle }: Ellipse, radius: number): Point[] {
  const turn = (angle * Math.PI) / 180;
  return [...Array(POINTS).keys()].map((i) => {
    const phi = (2 * Math.PI * i) / POINTS;
    const [u, v] = [radii[0] * radius * Math.cos(phi), radii[1] * radius * Math.sin(phi)];
    return [centre[0] + u * Math.cos(turn) - v * Math.sin(turn), centre[1] + u * Math.sin(turn) + v * Math.cos(turn)];
  });
}

/** The place of the scene at which a grip is drawn, or where its keys begin. */
export function gripAt(part: Part, grip: ShapeGrip): Point {
  if (part.kind === "gradient") {
    const level = grip === "inner" ? 0.75 : grip === "outer" ? 0.25 : 0.5;
    return plus(part.start as Point, minus(part.end as Point, part.start as Point), 1 - along(level));
  }
  if (grip === "whole") return part.centre as Point;
  const radius = { size: 1, inner: radiusAt(part, 0.75), outer: radiusAt(part, 0.25), turn: radiusAt(part, 0.25) + 0.25 }[grip];
  return ring(part, radius)[0];
}

/** A shape as a drag of one of its grips would make it, from one place of the scene to another. */
export function reshaped(part: Part, grip: ShapeGrip, from: Point, to: Point): Part {
  return part.kind === "gradient" ? reshapedGradient(part, grip, from, to) : reshapedEllipse(part, grip, from, to);
}

function reshapedGradient(part: Gradient, grip: ShapeGrip, from: Point, to: Point): Gradient {
  const moved = minus(to, from);
  if (grip === "whole") return { ...part, start: plus(part.start as Point, moved), end: plus(part.end as Point, moved) };
  // The contour is taken where it is; the other end stays, so that a drag along the contour turns it.
  const share = along(0.75);
  const next = grip === "inner" ? { ...part, start: plus(part.start as Point, moved, 1 / share) } : { ...part, end: plus(part.end as Point, moved, 1 / share) };
  return Math.hypot(...minus(next.end as Point, next.start as Point)) < 0.005 ? part : next;
}

/** A place in an ellipse's own measure: 1 on the ellipse, along its first and second radius. */
function own({ centre, radii, angle }: Ellipse, at: Point): Point {
  const turn = (angle * Math.PI) / 180;
  const [x, y] = minus(at, centre as Point);
  return [(x * Math.cos(turn) + y * Math.sin(turn)) / radii[0], (-x * Math.sin(turn) + y * Math.cos(turn)) / radii[1]];
}

const between = (low: number, v: number, high: number) => Math.min(high, Math.max(low, v));

function reshapedEllipse(part: Ellipse, grip: ShapeGrip, from: Point, to: Point): Ellipse {
  if (grip === "whole") return { ...part, centre: plus(part.centre as Point, minus(to, from)) };
  if (grip === "turn") {
    const angle = (at: Point) => Math.atan2(at[1] - part.centre[1], at[0] - part.centre[0]);
    const degrees = part.angle + ((angle(to) - angle(from)) * 180) / Math.PI;
    return { ...part, angle: Math.round((((degrees % 360) + 540) % 360 - 180) * 10) / 10 };
  }
  const [a, b] = [own(part, from), own(part, to)];
  const growth = Math.hypot(...b) / Math.max(Math.hypot(...a), 1e-6);
  if (grip === "size") {
    // Taken near the end of one radius, only that one follows; between them the ellipse grows as a whole.
    const share = Math.abs(a[0]) / Math.max(Math.hypot(...a), 1e-6);
    const [first, second] = share > 0.92 ? [growth, 1] : share < 0.4 ? [1, growth] : [growth, growth];
    return { ...part, radii: [between(0.001, part.radii[0] * first, 4), between(0.001, part.radii[1] * second, 4)] };
  }
  const departs = Math.abs(Math.hypot(...b) - 1) / Math.abs(1 - 2 * along(0.75));
  return { ...part, feather: between(0.02, departs, 1) };
}
