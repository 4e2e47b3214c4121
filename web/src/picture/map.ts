import type { Size } from "./geometry";

export type Point = [number, number];

/** The map as the server sends it: places at the nodes of even lattices, row by row. */
export interface MapNodes {
  name: string;
  to_scene: Point[];
  to_plane: Point[];
  /** Width and height of the scene, in shares of its longer side. */
  scene: Point;
  /** Longer side of the scene, in full-size pixels. */
  long: number;
}

/** How the picture's plane lies over the scene: full-size pixels to places of the treatment, and back. */
export class PlaneMap {
  readonly name: string;
  readonly scene: Point;
  /** Longer side of the scene, in full-size pixels. */
  readonly long: number;
  private readonly count: number;

  constructor(
    private readonly nodes: MapNodes,
    /** Of the picture, in full-size pixels. */
    readonly size: Size,
  ) {
    this.long = nodes.long;
    this.name = nodes.name;
    this.scene = nodes.scene;
    this.count = Math.round(Math.sqrt(nodes.to_scene.length));
  }

  /** The place of the scene, in shares of its longer side, at full-size pixels of the picture. */
  toScene([x, y]: Point): Point {
    return this.between(this.nodes.to_scene, x / this.size.width, y / this.size.height);
  }

  /** The full-size pixels of the picture at a place of the scene. */
  toPlane([x, y]: Point): Point {
    return this.between(this.nodes.to_plane, x / this.scene[0], y / this.scene[1]);
  }

  /** Whether a place lies in the scene. */
  holds([x, y]: Point): boolean {
    return x >= 0 && y >= 0 && x < this.scene[0] && y < this.scene[1];
  }

  /** Between the four nodes about a share of the lattice; beyond it as its outermost cell goes on. */
  private between(nodes: Point[], u: number, v: number): Point {
    const last = this.count - 1;
    const j = Math.min(Math.max(Math.floor(u * last), 0), last - 1);
    const i = Math.min(Math.max(Math.floor(v * last), 0), last - 1);
    const [fx, fy] = [u * last - j, v * last - i];
    const at = (di: number, dj: number) => nodes[(i + di) * this.count + j + dj];
    const one = (k: 0 | 1) =>
      (1 - fy) * ((1 - fx) * at(0, 0)[k] + fx * at(0, 1)[k]) + fy * ((1 - fx) * at(1, 0)[k] + fx * at(1, 1)[k]);
    return [one(0), one(1)];
  }
}
