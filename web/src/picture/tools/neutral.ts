import { readPatch } from "../../state/white";
import { PatchSquare } from "../over/PatchSquare";
import type { Tool } from "./tool";

/** Takes the white balance from a patch that is clicked. */
export const neutral: Tool = {
  name: "neutral",
  stations: ["light"],
  label: "Picture: click a grey or white place",
  cursor: () => "crosshair",
  Over: PatchSquare,
  down: ({ scene, lay }) => {
    if (lay.map.holds(scene)) void readPatch(scene);
    return null;
  },
};
