import { describe, expect, it } from "vitest";

import { added, APART, curveOf, MOST_POINTS, moved, withEnds } from "./points";

const STOPS = [-15, -10, -8, -6.5, -5, -3, -1, 0, 2];

describe("the curve", () => {
  it("is the server's", () => {
    // Values of curve_ev in core/light/curve.py.
    const told: [[number, number][], number[]][] = [
      [
        [
          [-6, -4.5],
          [-5.5, -4.4],
          [-1, -2],
        ],
        [-15, -10, -6.186583, -4.71603, -4.2626, -3.465288, -2, 0, 2],
      ],
      [
        [
          [-11, -9],
          [1, 0.5],
        ],
        [-13, -8.208333, -6.625, -5.4375, -4.25, -2.666667, -1.083333, -0.291667, 1.5],
      ],
      [[[2, 1]], [-15, -10, -8.166667, -6.791667, -5.416667, -3.583333, -1.75, -0.833333, 1]],
    ];
    for (const [points, values] of told) {
      const curve = curveOf(points.map(([at, to]) => ({ at, to })));
      STOPS.forEach((s, i) => expect(curve(s)).toBeCloseTo(values[i], 5));
    }
  });
  it("is straight without points", () => {
    const curve = curveOf([]);
    for (const s of STOPS) expect(curve(s)).toBeCloseTo(s, 12);
  });
  it("has ends where no point lies as far out", () => {
    expect(withEnds([{ at: -5, to: -4 }])).toHaveLength(3);
    expect(
      withEnds([
        { at: -12, to: -9 },
        { at: -1, to: 0.5 },
      ]),
    ).toHaveLength(2);
  });
});

describe("points", () => {
  const points = [
    { at: -6, to: -5 },
    { at: -3, to: -2 },
  ];
  it("stay between their neighbours", () => {
    const next = moved(points, 0, { at: -1, to: 3 });
    expect(next[0].at).toBeLessThanOrEqual(-3 - APART);
    expect(next[0].to).toBe(-2);
    expect(points[0]).toEqual({ at: -6, to: -5 });
  });
  it("are added on the curve, which stays what it was", () => {
    const { points: three, index } = added(points, -4.5);
    expect(index).toBe(1);
    expect(three).toHaveLength(3);
    expect(three[1].to).toBeCloseTo(curveOf(points)(-4.5), 2);
  });
  it("are taken hold of where one lies already, and are not too many", () => {
    expect(added(points, -3.01)).toEqual({ points, index: 1 });
    const many = Array.from({ length: MOST_POINTS }, (_, i) => ({ at: -10 + i / 3, to: -10 + i / 3 }));
    expect(added(many, 1.5).index).toBe(-1);
  });
});
