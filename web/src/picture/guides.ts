import type { Box } from "./crop";
import type { Point } from "./map";

const GOLDEN = (Math.sqrt(5) - 1) / 2;

type Lines = [Point, Point][];

/** Lines at shares of a box's width and height, both ways. */
const crossed = (shares: number[]): Lines =>
  shares.flatMap((s): Lines => [
    [
      [s, 0],
      [s, 1],
    ],
    [
      [0, s],
      [1, s],
    ],
  ]);

/** From each corner along the line that halves its angle, to the far side. */
function diagonals({ width, height }: Box): Lines {
  const [u, v] = [Math.min(height / width, 1), Math.min(width / height, 1)];
  return [
    [
      [0, 0],
      [u, v],
    ],
    [
      [1, 0],
      [1 - u, v],
    ],
    [
      [0, 1],
      [u, 1 - v],
    ],
    [
      [1, 1],
      [1 - u, 1 - v],
    ],
  ];
}

/** Guides to compose by: their title, and their lines in shares of the crop's width and height. */
export const GUIDES = {
  none: { title: "none", lines: (): Lines => [] },
  thirds: { title: "thirds", lines: () => crossed([1 / 3, 2 / 3]) },
  golden: { title: "golden section", lines: () => crossed([1 - GOLDEN, GOLDEN]) },
  diagonals: { title: "diagonals", lines: diagonals },
} satisfies Record<string, { title: string; lines: (box: Box) => Lines }>;
