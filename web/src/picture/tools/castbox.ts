import { drawCastBox, findInBox } from "../../state/cast";
import { CastBox } from "../over/CastBox";
import { drawBox } from "./drawBox";
import type { Tool } from "./tool";

/** Draws a box that a cast is looked for in. */
export const castbox: Tool = {
  name: "castbox",
  stations: ["colour"],
  label: "Picture: drag over what should be without a cast",
  cursor: () => "crosshair",
  Over: CastBox,
  down: drawBox(drawCastBox, findInBox),
};
