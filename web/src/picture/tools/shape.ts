import type { Part } from "../../api/client";
import { beginPart, setPart, useAreas } from "../../state/areas";
import { tell } from "../../state/messages";
import { hold, release, store } from "../../state/scene";
import { useView } from "../../state/view";
import type { Point } from "../map";
import type { Tool } from "./tool";

/** So short a drag, in shares of the scene's longer side, draws no shape. */
const SHORTEST = 0.01;
const AS_FIRST = { mode: "add", invert: false } as const;

const drawn = {
  gradient: (from: Point, to: Point): Part => ({ ...AS_FIRST, kind: "gradient", start: from, end: to }),
  ellipse: (from: Point, to: Point): Part => ({
    ...AS_FIRST,
    kind: "ellipse",
    centre: from,
    radii: [Math.max(Math.abs(to[0] - from[0]), SHORTEST), Math.max(Math.abs(to[1] - from[1]), SHORTEST)],
    angle: 0,
    feather: 0.5,
  }),
};

/** Draws a shape of an area: a gradient from where it is full to where it ends, an ellipse from its middle. */
function shape(kind: "gradient" | "ellipse", label: string): Tool {
  return {
    name: kind,
    stations: ["areas"],
    label,
    cursor: () => "crosshair",
    down: (start) => {
      let at: [number, number] | null = null;
      hold();
      return {
        move: ({ scene }) => {
          if (Math.hypot(scene[0] - start.scene[0], scene[1] - start.scene[1]) < SHORTEST) return;
          const part = drawn[kind](start.scene, scene);
          if (at) setPart(...at, part);
          else at = beginPart(part);
        },
        end: () => {
          release();
          useView.setState({ tool: "pan" });
          useAreas.setState({ joins: false });
          if (at) store(kind === "gradient" ? "A gradient" : "An ellipse");
          else tell("Nothing was drawn: there are eight already, or the drag was too short.", "note");
        },
      };
    },
  };
}

export const gradient = shape("gradient", "Picture: drag from where the gradient is full to where it ends");
export const ellipse = shape("ellipse", "Picture: drag from the middle of the ellipse outwards");
