import { boxBetween, check, draw } from "../../state/check";
import { CheckBox } from "../over/CheckBox";
import type { Tool } from "./tool";

/** Draws a box on a smooth place, to measure its noise. */
export const box: Tool = {
  name: "box",
  stations: ["noise"],
  label: "Picture: drag over a smooth place to measure its noise",
  cursor: () => "crosshair",
  Over: CheckBox,
  down: ({ scene: from }) => {
    let to = from;
    return {
      move: ({ scene }) => {
        to = scene;
        draw(boxBetween(from, to));
      },
      end: () => {
        // A click draws nothing.
        if (to !== from) void check(boxBetween(from, to));
      },
    };
  },
};
