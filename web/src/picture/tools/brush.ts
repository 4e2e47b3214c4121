import { beginStroke, continueStroke, endStroke, useBrush } from "../../state/merging";
import { useScene } from "../../state/scene";
import type { Tool } from "./tool";

/** Kinds of strokes that speak of the same thing, and so are shown together. */
const TOGETHER = [
  ["moved", "still"],
  ["sky", "ground"],
];

/** Paints over the merged picture what the next merge shall heed. */
export const brush: Tool = {
  name: "brush",
  stations: ["merge"],
  label: "Picture: paint over it",
  cursor: () => "crosshair",
  down: (at) => {
    beginStroke(at.share);
    return { move: (next) => continueStroke(next.share), end: endStroke };
  },
  strokes: () => {
    const { kind, radius, points } = useBrush.getState();
    const kinds = TOGETHER.find((k) => k.includes(kind))!;
    const kept = (useScene.getState().scene?.instructions.strokes ?? []).filter((s) => kinds.includes(s.kind));
    return points.length ? [...kept, { kind, radius, points }] : kept;
  },
};
