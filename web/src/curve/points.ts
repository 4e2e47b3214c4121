import type { Treatment } from "../api/client";
import { monotone } from "../monotone";

export type CurvePoint = Treatment["curve"]["points"][number];
/** What a curve acts on, as the treatment names its points. */
export type Channel = "points" | "red" | "green" | "blue";

/** Stops where the curve stands still by itself, and the least distance of points, as the server has them. */
export const LOW = -10;
export const HIGH = 0;
export const APART = 0.05;
export const MOST_POINTS = 24;
/** Stops that a plot shows, of what enters and of what leaves. */
export const FROM = -11;
export const UP_TO = 3;

/** Points as the curve goes through them: with its ends, where none lies as far out. */
export function withEnds(points: CurvePoint[]): CurvePoint[] {
  if (points.length === 0)
    return [
      { at: LOW, to: LOW },
      { at: HIGH, to: HIGH },
    ];
  const known = [...points];
  const first = known[0];
  const last = known[known.length - 1];
  if (Math.min(first.at, first.to) > LOW + APART) known.unshift({ at: LOW, to: LOW });
  if (Math.max(last.at, last.to) < HIGH - APART) known.push({ at: HIGH, to: HIGH });
  return known;
}

/** The stop on which a curve puts light, as a function. */
export function curveOf(points: CurvePoint[]): (stop: number) => number {
  const known = withEnds(points);
  const at = known.map((p) => p.at);
  const to = known.map((p) => p.to);
  if (known.length === 1) return (stop) => stop + to[0] - at[0];
  const inside = monotone(at, to);
  const last = at.length - 1;
  return (stop) => {
    if (stop <= at[0]) return stop + to[0] - at[0];
    if (stop >= at[last]) return stop + to[last] - at[last];
    return inside(stop);
  };
}

const rounded = (v: number) => Math.round(v * 100) / 100;
const between = (v: number, low: number, high: number) => Math.min(Math.max(v, low), high);

/** The points with one moved, as far as its neighbours let it. */
export function moved(points: CurvePoint[], index: number, { at, to }: CurvePoint): CurvePoint[] {
  const before = points[index - 1] ?? { at: FROM - 1, to: FROM - 1 };
  const after = points[index + 1] ?? { at: UP_TO + 1, to: UP_TO + 1 };
  const next = [...points];
  next[index] = {
    at: rounded(between(at, before.at + 2 * APART, after.at - 2 * APART)),
    to: rounded(between(to, before.to, after.to)),
  };
  return next;
}

/** The points with one more on the curve as it is, and which that is; one that lies there already is taken. */
export function added(points: CurvePoint[], at: number): { points: CurvePoint[]; index: number } {
  const near = points.findIndex((p) => Math.abs(p.at - at) < 4 * APART);
  if (near >= 0 || points.length >= MOST_POINTS) return { points, index: near };
  const index = points.filter((p) => p.at < at).length;
  const next = [...points];
  next.splice(index, 0, { at: rounded(at), to: rounded(curveOf(points)(at)) });
  return { points: moved(next, index, next[index]), index };
}
