import type { Point } from "./map";

/** A box of the picture, in full-size pixels. */
export interface Box {
  x: number;
  y: number;
  width: number;
  height: number;
}

/** What is taken hold of: sides by their compass letters, or the inside. */
export type CropGrip = "n" | "ne" | "e" | "se" | "s" | "sw" | "w" | "nw" | "inside";

/** No side gets shorter than this, in full-size pixels. */
const LEAST = 16;

/** A box as a drag from where it was would make it: sides follow the pointer, the far side or corner stays. */
export function dragged(box: Box, grip: CropGrip, [dx, dy]: Point, ratio: number | null): Box {
  if (grip === "inside") return { ...box, x: box.x + dx, y: box.y + dy };
  const [east, west, north, south] = ["e", "w", "n", "s"].map((side) => grip.includes(side));
  let width = Math.max(box.width + (east ? dx : west ? -dx : 0), LEAST);
  let height = Math.max(box.height + (south ? dy : north ? -dy : 0), LEAST);
  if (ratio !== null) {
    // A corner follows the pointer as near as its shape allows; a side alone says how large it is.
    const across = east || west;
    const along = north || south;
    width = Math.max(across && along ? (width + height * ratio) / 2 : across ? width : height * ratio, LEAST);
    height = width / ratio;
  }
  const x = west ? box.x + box.width - width : east ? box.x : box.x + (box.width - width) / 2;
  const y = north ? box.y + box.height - height : south ? box.y : box.y + (box.height - height) / 2;
  return { x, y, width, height };
}

/** Whether a box lies within a convex outline that runs one way round. */
export function within(box: Box, outline: Point[]): boolean {
  const corners: Point[] = [
    [box.x, box.y],
    [box.x + box.width, box.y],
    [box.x + box.width, box.y + box.height],
    [box.x, box.y + box.height],
  ];
  const area = outline.reduce((sum, [x, y], i) => {
    const [nx, ny] = outline[(i + 1) % outline.length];
    return sum + x * ny - nx * y;
  }, 0);
  return outline.every(([x, y], i) => {
    const [nx, ny] = outline[(i + 1) % outline.length];
    return corners.every(
      ([cx, cy]) => Math.sign(area) * ((nx - x) * (cy - y) - (ny - y) * (cx - x)) >= -0.01 * Math.hypot(nx - x, ny - y),
    );
  });
}

const mixed = (a: Box, b: Box, t: number): Box => ({
  x: a.x + (b.x - a.x) * t,
  y: a.y + (b.y - a.y) * t,
  width: a.width + (b.width - a.width) * t,
  height: a.height + (b.height - a.height) * t,
});

function reached(from: Box, to: Box, outline: Point[]): Box {
  if (within(to, outline)) return to;
  let [low, high] = [0, 1];
  for (let i = 0; i < 24; i++) {
    const middle = (low + high) / 2;
    if (within(mixed(from, to, middle), outline)) low = middle;
    else high = middle;
  }
  return mixed(from, to, low);
}

/** How far a box gets on its way to another without leaving an outline; where it is stopped, it slides on. */
export function held(from: Box, to: Box, outline: Point[]): Box {
  const straight = reached(from, to, outline);
  const across = reached(straight, { ...straight, x: to.x, width: to.width }, outline);
  // A shape that is to be kept cannot slide one side at a time.
  const kept = Math.abs(from.width / from.height - to.width / to.height) < 1e-6;
  if (kept && from.width !== to.width) return straight;
  return reached(across, { ...across, y: to.y, height: to.height }, outline);
}
