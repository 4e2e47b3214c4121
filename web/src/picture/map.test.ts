import { describe, expect, it } from "vitest";

import { type MapNodes, PlaneMap, type Point } from "./map";

const COUNT = 17;
const size = { width: 3000, height: 2000 };

/** Nodes of a picture that is the scene turned about its middle, by degrees. */
function turned(degrees: number): MapNodes {
  const turn = (degrees * Math.PI) / 180;
  const [c, s] = [Math.cos(turn), Math.sin(turn)];
  const about = ([x, y]: Point, sign: number): Point => [
    1500 + c * (x - 1500) + sign * s * (y - 1000),
    1000 - sign * s * (x - 1500) + c * (y - 1000),
  ];
  const lattice = [...Array(COUNT * COUNT).keys()].map((i): Point => [
    ((i % COUNT) / (COUNT - 1)) * size.width,
    (Math.floor(i / COUNT) / (COUNT - 1)) * size.height,
  ]);
  return {
    name: "turned",
    to_scene: lattice.map((p) => about(p, 1).map((v) => v / 3000) as Point),
    to_plane: lattice.map((p) => about(p, -1)),
    scene: [1, 2 / 3],
    long: 3000,
  };
}

describe("the map of a picture", () => {
  it("is its own way back, inside and beyond the picture", () => {
    const map = new PlaneMap(turned(7), size);
    for (const p of [
      [0, 0],
      [1500, 1000],
      [123.4, 1987.6],
      [-300, 2400],
    ] as Point[]) {
      const back = map.toPlane(map.toScene(p));
      expect(back[0]).toBeCloseTo(p[0], 6);
      expect(back[1]).toBeCloseTo(p[1], 6);
    }
  });
  it("gives places in shares of the scene's longer side", () => {
    const map = new PlaneMap(turned(0), size);
    expect(map.toScene([3000, 2000])[0]).toBeCloseTo(1, 9);
    expect(map.toScene([3000, 2000])[1]).toBeCloseTo(2 / 3, 9);
    expect(map.holds([0.5, 0.66])).toBe(true);
    expect(map.holds([0.5, 0.67])).toBe(false);
    expect(map.holds([-0.01, 0.1])).toBe(false);
  });
});
