import { beginStroke, continueStroke, endStroke, useBrush } from "../../state/merging";
import { useScene } from "../../state/scene";
import type { Point } from "../map";
import type { Pointed, Tool } from "./tool";

/** Kinds of strokes that speak of the same thing, and so are shown together. */
const TOGETHER = [
  ["moved", "still"],
  ["sky", "ground"],
];

/** Strokes speak in shares of the merged picture's width and height. */
const share = ({ scene, lay }: Pointed): Point => [scene[0] / lay.map.scene[0], scene[1] / lay.map.scene[1]];

/** Paints over the merged picture what the next merge shall heed. */
export const brush: Tool = {
  name: "brush",
  stations: ["merge"],
  label: "Picture: paint over it",
  cursor: () => "crosshair",
  down: (at) => {
    beginStroke(share(at));
    return { move: (next) => continueStroke(share(next)), end: endStroke };
  },
  strokes: () => {
    const { kind, radius, points } = useBrush.getState();
    const kinds = TOGETHER.find((k) => k.includes(kind))!;
    const kept = (useScene.getState().scene?.instructions.strokes ?? []).filter((s) => kinds.includes(s.kind));
    return points.length ? [...kept, { kind, radius, points }] : kept;
  },
};
