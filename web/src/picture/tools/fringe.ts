import { pickFringe } from "../../state/mend";
import { PickSquare } from "../over/PickSquare";
import type { Tool } from "./tool";

/** Takes back the colour of the fringe that is clicked. */
export const fringe: Tool = {
  name: "fringe",
  stations: ["mend"],
  label: "Picture: click a fringe",
  cursor: () => "crosshair",
  Over: PickSquare,
  down: ({ scene, lay }) => {
    if (lay.map.holds(scene)) void pickFringe(scene);
    return null;
  },
};
