import { addEdge, MOST_EDGES } from "../../state/edges";
import { useView } from "../../state/view";
import { StandingEdges } from "../over/EdgeLines";
import { drawLine } from "./line";
import type { Tool } from "./tool";

/** Draws along edges that stand or lie in the scene, two or four of them, to take the perspective back by. */
export const edges: Tool = {
  name: "edges",
  stations: ["geometry"],
  label: "Picture: draw along edges that stand or lie",
  cursor: () => "crosshair",
  down: drawLine((_, from, to) => {
    if (addEdge([from.scene, to.scene]) >= MOST_EDGES) useView.setState({ tool: "pan" });
  }),
  Over: StandingEdges,
};
