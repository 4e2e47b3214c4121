import { describe, expect, it } from "vitest";

import type { Ellipse, Gradient } from "../api/client";
import { ellipseOf, gradientOf } from "../state/parts";
import type { Point } from "./map";
import { along, contour, gripAt, LEVELS, radiusAt, reshaped, type ShapeGrip } from "./shapes";

const gradient = gradientOf([0.2, 0.1], [0.6, 0.4]) as Gradient;
const ellipse = ellipseOf([0.5, 0.3], [0.3, 0.1], { angle: 30, feather: 0.4 });
const bent: Gradient = { ...gradient, middle: 35, bow: 0.3 };

/** The mask as the server makes it, at a place. */
function mask(part: Gradient | Ellipse, [x, y]: Point): number {
  let t: number;
  if (part.kind === "gradient") {
    const [dx, dy] = [part.end[0] - part.start[0], part.end[1] - part.start[1]];
    const [px, py] = [x - (part.start[0] + part.end[0]) / 2, y - (part.start[1] + part.end[1]) / 2];
    const [u, v] = [(px * dx + py * dy) / (dx * dx + dy * dy), (py * dx - px * dy) / (dx * dx + dy * dy)];
    const curved = (2 * part.bow) / (1 + part.bow ** 2);
    const bias = 1 / (1 - part.middle / 100) - 2;
    const way = Math.min(
      Math.max(
        0.5 + (2 * u - curved * (u * u + v * v)) / (1 + Math.sqrt(1 - 2 * curved * u + curved ** 2 * (u * u + v * v))),
        0,
      ),
      1,
    );
    t = 1 - way / (bias * (1 - way) + 1);
  } else {
    const turn = (part.angle * Math.PI) / 180;
    const [u, v] = [x - part.centre[0], y - part.centre[1]];
    const r = Math.hypot(
      (u * Math.cos(turn) + v * Math.sin(turn)) / part.radii[0],
      (-u * Math.sin(turn) + v * Math.cos(turn)) / part.radii[1],
    );
    t = 0.5 + (1 - r) / (2 * part.feather);
  }
  const s = Math.min(Math.max(t, 0), 1);
  return s * s * (3 - 2 * s);
}

describe("contours", () => {
  it("lie where the mask has their share", () => {
    for (const level of LEVELS) {
      expect(along(level) ** 2 * (3 - 2 * along(level))).toBeCloseTo(level, 9);
      for (const part of [gradient, bent, ellipse])
        for (const at of contour(part, level)) expect(mask(part, at)).toBeCloseTo(level, 6);
    }
  });
});

describe("grips", () => {
  const grips: ShapeGrip[] = ["whole", "inner", "outer"];
  it("follow the pointer: what was taken lies under it", () => {
    for (const part of [gradient, ellipse]) {
      for (const grip of [...grips, ...(part === ellipse ? (["size"] as const) : [])]) {
        const from = gripAt(part, grip);
        const outwards: Point =
          part === ellipse && grip !== "whole"
            ? [from[0] + 0.012 * Math.cos(Math.PI / 6), from[1] + 0.012 * Math.sin(Math.PI / 6)]
            : [from[0] + 0.02, from[1] - 0.01];
        const got = gripAt(reshaped(part, grip, from, outwards), grip);
        expect(got[0], `${part.kind} ${grip}`).toBeCloseTo(outwards[0], 3);
        expect(got[1], `${part.kind} ${grip}`).toBeCloseTo(outwards[1], 3);
      }
    }
  });
  it("turn an ellipse about its middle, the short way round", () => {
    const from = gripAt(ellipse, "turn");
    const to: Point = [ellipse.centre[0], ellipse.centre[1] + 0.4];
    const got = reshaped(ellipse, "turn", from, to) as Ellipse;
    expect(got.angle).toBeCloseTo(90, 1);
    expect(got.centre).toEqual(ellipse.centre);
  });
  it("change one radius near its end, and both between them", () => {
    const [end, between] = [contour(ellipse, 0.5)[0], contour(ellipse, 0.5)[7]];
    const out = (at: Point): Point => [0.5 + (at[0] - 0.5) * 1.5, 0.3 + (at[1] - 0.3) * 1.5];
    const long = reshaped(ellipse, "size", end, out(end)) as Ellipse;
    expect(long.radii[0]).toBeCloseTo(0.45, 6);
    expect(long.radii[1]).toBe(0.1);
    const both = reshaped(ellipse, "size", between, out(between)) as Ellipse;
    expect(both.radii[0] / both.radii[1]).toBeCloseTo(3, 6);
  });
  it("never leave a shape that cannot be", () => {
    const shut = reshaped(gradient, "inner", gripAt(gradient, "inner"), [0.47, 0.3026]) as Gradient;
    expect(Math.hypot(shut.end[0] - shut.start[0], shut.end[1] - shut.start[1])).toBeGreaterThan(0.004);
    const flat = reshaped(ellipse, "size", gripAt(ellipse, "size"), ellipse.centre as Point) as Ellipse;
    expect(Math.min(...flat.radii)).toBeGreaterThan(0);
    expect((reshaped(ellipse, "outer", gripAt(ellipse, "outer"), [9, 9]) as Ellipse).feather).toBe(1);
    expect(radiusAt({ ...ellipse, feather: 1 }, 0.75)).toBeGreaterThan(0);
  });
});
