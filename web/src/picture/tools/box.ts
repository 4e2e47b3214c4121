import { check, draw } from "../../state/check";
import { CheckBox } from "../over/CheckBox";
import { drawBox } from "./drawBox";
import type { Tool } from "./tool";

/** Draws a box on a smooth place, to measure its noise. */
export const box: Tool = {
  name: "box",
  stations: ["noise"],
  label: "Picture: drag over a smooth place to measure its noise",
  cursor: () => "crosshair",
  Over: CheckBox,
  down: drawBox(draw, (drawn) => void check(drawn)),
};
