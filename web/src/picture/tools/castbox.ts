import { findInBox, useCast } from "../../state/cast";
import { boxBetween } from "../../state/check";
import { useScene } from "../../state/scene";
import { CastBox } from "../over/CastBox";
import type { Tool } from "./tool";

/** Draws a box that a cast is looked for in. */
export const castbox: Tool = {
  name: "castbox",
  stations: ["colour"],
  label: "Picture: drag over what should be without a cast",
  cursor: () => "crosshair",
  Over: CastBox,
  down: ({ scene: from }) => {
    let to = from;
    return {
      move: ({ scene }) => {
        to = scene;
        useCast.setState({ box: boxBetween(from, to), scene: useScene.getState().scene?.id ?? null });
      },
      end: () => {
        // A click draws nothing.
        if (to !== from) findInBox(boxBetween(from, to));
      },
    };
  },
};
