import type { Ellipse, Gradient, Part, Shape } from "../api/client";
import type { Point } from "./map";

/** Shares of a mask at which its contours are drawn. */
export const LEVELS = [0.25, 0.5, 0.75] as const;
export type Level = (typeof LEVELS)[number];
/** What of a shape is taken hold of. */
export type ShapeGrip = "whole" | "size" | "inner" | "outer" | "turn" | "bend";

const POINTS = 72;
const FAR = 1.5;

/** Where along its fall, 0 at nothing to 1 at full, a mask has a share: t²(3 − 2t) solved for t. */
export const along = (share: number) => 0.5 - Math.sin(Math.asin(1 - 2 * share) / 3);

const plus = ([x, y]: Point, [dx, dy]: Point, by = 1): Point => [x + dx * by, y + dy * by];
const minus = ([x, y]: Point, [ax, ay]: Point): Point => [x - ax, y - ay];

/** Whether a part is drawn by contours that are its handles. */
export const isShape = (part: Part): part is Shape => part.kind === "gradient" || part.kind === "ellipse";

/** A contour of a shape, as places of the scene. */
export function contour(part: Shape, level: Level): Point[] {
  return part.kind === "gradient" ? gradientLine(part, level) : ring(part, radiusAt(part, level));
}

/** Where a contour stands out from the middle of an ellipse, in its radii. */
export const radiusAt = ({ feather }: Ellipse, level: Level) => 1 + feather * (1 - 2 * along(level));

/** Where on its way from full, 0, to nothing, 1, a gradient has a share. */
export function wayAt({ middle }: Gradient, level: Level): number {
  const bias = 1 / (1 - middle / 100) - 2;
  const t = 1 - along(level);
  return (t * (bias + 1)) / (1 + t * bias);
}

/** Points of the arc on which a gradient has a share; a straight line where it is not bent. */
function gradientLine(part: Gradient, level: Level): Point[] {
  const [start, end] = [part.start as Point, part.end as Point];
  const way = minus(end, start);
  const length = Math.hypot(...way);
  const across: Point = [-way[1] / length, way[0] / length];
  const u = wayAt(part, level) - 0.5;
  const middle = plus(start, way, 0.5);
  const curved = (2 * part.bow) / (1 + part.bow ** 2);
  // On the circle that is bent about the same centre; where that is passed, it closes.
  const radius = curved ? 1 / curved - u : Infinity;
  const farthest = Math.min(FAR / length, Math.abs(radius) * 0.98);
  return [...Array(33).keys()].map((i) => {
    const v = farthest * (i / 16 - 1);
    const back = Number.isFinite(radius)
      ? radius - Math.sign(radius) * Math.sqrt(Math.max(radius ** 2 - v ** 2, 0))
      : 0;
    return plus(plus(middle, way, u + back), across, v * length);
  });
}

/** Half a turn in so many steps lies near a level line or one that stands. */
const STRAIGHT = (2.5 * Math.PI) / 180;

/** The end of a line that is drawn, made to lie level or to stand where it nearly does. */
export function straightened(from: Point, to: Point): Point {
  const [dx, dy] = minus(to, from);
  const angle = Math.atan2(dy, dx);
  const near = Math.round(angle / (Math.PI / 2)) * (Math.PI / 2);
  if (Math.abs(angle - near) > STRAIGHT) return to;
  const length = Math.hypot(dx, dy);
  return [from[0] + Math.round(Math.cos(near)) * length, from[1] + Math.round(Math.sin(near)) * length];
}

/** So near the middle of the scene, in shares of its longer side, a centre is put on it. */
const CENTRAL = 0.006;

/** A centre, put on the middle of the scene across or down where it is nearly there. */
export const centred = ([x, y]: Point, [width, height]: Point): Point => [
  Math.abs(x - width / 2) < CENTRAL ? width / 2 : x,
  Math.abs(y - height / 2) < CENTRAL ? height / 2 : y,
];

function ring({ centre, radii, angle }: Ellipse, radius: number): Point[] {
  const turn = (angle * Math.PI) / 180;
  return [...Array(POINTS).keys()].map((i) => {
    const phi = (2 * Math.PI * i) / POINTS;
    const [u, v] = [radii[0] * radius * Math.cos(phi), radii[1] * radius * Math.sin(phi)];
    return [centre[0] + u * Math.cos(turn) - v * Math.sin(turn), centre[1] + u * Math.sin(turn) + v * Math.cos(turn)];
  });
}

/** The place of the scene at which a grip is drawn, or where its keys begin. */
export function gripAt(part: Shape, grip: ShapeGrip): Point {
  if (part.kind === "gradient") {
    const way = minus(part.end as Point, part.start as Point);
    const length = Math.hypot(...way);
    // Taken a little aside of its middle, the half line is bent.
    if (grip === "bend")
      return nearest(
        gradientLine(part, 0.5),
        plus(
          plus(part.start as Point, way, wayAt(part, 0.5)),
          [-way[1] / length, way[0] / length],
          Math.min(length, ASIDE),
        ),
      );
    return plus(part.start as Point, way, wayAt(part, grip === "inner" ? 0.75 : grip === "outer" ? 0.25 : 0.5));
  }
  if (grip === "whole") return part.centre as Point;
  const radius = {
    size: 1,
    bend: 1,
    inner: radiusAt(part, 0.75),
    outer: radiusAt(part, 0.25),
    turn: radiusAt(part, 0.25) + 0.25,
  }[grip];
  return ring(part, radius)[0];
}

/** A shape as a drag of one of its grips would make it, from one place of the scene to another. */
export function reshaped(part: Shape, grip: ShapeGrip, from: Point, to: Point): Shape {
  return part.kind === "gradient" ? reshapedGradient(part, grip, from, to) : reshapedEllipse(part, grip, from, to);
}

function nearest(line: Point[], to: Point): Point {
  return line.reduce((best, p) => (Math.hypot(...minus(p, to)) < Math.hypot(...minus(best, to)) ? p : best));
}

/** How far aside of its middle a gradient is bent, in shares of the scene's longer side. */
const ASIDE = 0.12;

function reshapedGradient(part: Gradient, grip: ShapeGrip, from: Point, to: Point): Gradient {
  const moved = minus(to, from);
  if (grip === "whole")
    return { ...part, start: plus(part.start as Point, moved), end: plus(part.end as Point, moved) };
  const way = minus(part.end as Point, part.start as Point);
  const length = Math.hypot(...way);
  if (grip === "bend") {
    const aside = Math.min(length, ASIDE) / length;
    const ahead = (moved[0] * way[0] + moved[1] * way[1]) / length / length;
    return { ...part, bow: between(-1, Math.round((part.bow + ahead / aside ** 2) * 100) / 100, 1) };
  }
  // The contour is taken where it is; the other end stays, so that a drag along the contour turns it.
  const share = grip === "inner" ? 1 - wayAt(part, 0.75) : wayAt(part, 0.25);
  const next =
    grip === "inner"
      ? { ...part, start: plus(part.start as Point, moved, 1 / share) }
      : { ...part, end: plus(part.end as Point, moved, 1 / share) };
  if (grip === "inner") next.start = straightened(next.end as Point, next.start as Point);
  else next.end = straightened(next.start as Point, next.end as Point);
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
    return { ...part, angle: Math.round(((((degrees % 360) + 540) % 360) - 180) * 10) / 10 };
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
