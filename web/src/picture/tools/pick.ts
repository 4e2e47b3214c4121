import { pickRange } from "../../state/colour";
import { PickSquare } from "../over/PickSquare";
import type { Tool } from "./tool";

/** Picks the colour of a place that is clicked: a range of its hue. */
export const pick: Tool = {
  name: "pick",
  stations: ["colour"],
  label: "Picture: click a colour",
  cursor: () => "crosshair",
  Over: PickSquare,
  down: ({ scene, lay }) => {
    if (lay.map.holds(scene)) void pickRange(scene);
    return null;
  },
};
