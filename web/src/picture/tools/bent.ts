import { straightenBy } from "../../state/lens";
import { BentEdges } from "../over/EdgeLines";
import { drawLine } from "./line";
import type { Tool } from "./tool";

/** Draws along edges that should be straight, to take the lens's distortion back by: they are followed between their ends. */
export const bent: Tool = {
  name: "bent",
  stations: ["geometry"],
  label: "Picture: draw from end to end of an edge that should be straight",
  cursor: () => "crosshair",
  down: drawLine((_, from, to) => void straightenBy([from.scene, to.scene])),
  Over: BentEdges,
};
