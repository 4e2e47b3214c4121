import type { Area, Part } from "../../api/client";
import type { ToolName } from "../../names";
import { beginPart, setPart, useAreas } from "../../state/areas";
import { tell } from "../../state/messages";
import { ellipseOf, gradientOf } from "../../state/parts";
import { hold, release, store } from "../../state/scene";
import { useView } from "../../state/view";
import type { Point } from "../map";
import { straightened } from "../shapes";
import type { Tool } from "./tool";

/** So short a drag, in shares of the scene's longer side, draws no shape. */
const SHORTEST = 0.01;

const radii = (from: Point, to: Point): Point => [
  Math.max(Math.abs(to[0] - from[0]), SHORTEST),
  Math.max(Math.abs(to[1] - from[1]), SHORTEST),
];

interface Drawn {
  name: ToolName;
  label: string;
  /** What is drawn from one place of the scene to another. */
  of: (from: Point, to: Point) => Part;
  /** What its area is called, and bends at once. */
  about?: Partial<Area>;
  says: string;
}

/** Draws a shape of an area. */
function shape({ name, label, of, about, says }: Drawn): Tool {
  return {
    name,
    stations: ["areas"],
    label,
    cursor: () => "crosshair",
    down: (start) => {
      let at: [string, string] | null = null;
      hold(about ? null : "area");
      return {
        move: ({ scene }) => {
          if (Math.hypot(scene[0] - start.scene[0], scene[1] - start.scene[1]) < SHORTEST) return;
          const part = of(start.scene, scene);
          if (at)
            setPart(...at, {
              ...part,
              mode: useAreas.getState().joins === "new" ? "add" : (useAreas.getState().joins as Part["mode"]),
            });
          else at = beginPart(part, about);
        },
        end: () => {
          release();
          useView.setState({ tool: "pan" });
          useAreas.setState({ joins: "new", seeing: !about && at !== null });
          if (at) store(says);
          else tell("Nothing was drawn: the drag was too short, or there is no room for more.", "note");
        },
      };
    },
  };
}

export const gradient = shape({
  name: "gradient",
  label: "Picture: drag from where the gradient is full to where it ends",
  of: (from, to) => gradientOf(from, straightened(from, to)),
  says: "A gradient",
});

export const ellipse = shape({
  name: "ellipse",
  label: "Picture: drag from the middle of the ellipse outwards",
  of: (from, to) => ellipseOf(from, radii(from, to)),
  says: "An ellipse",
});

export const pool = shape({
  name: "pool",
  label: "Picture: drag from the middle of the pool of light outwards",
  of: (from, to) => ellipseOf(from, radii(from, to), { feather: 0.9 }),
  about: {
    name: "Light pool",
    bends: { "exposure.ev": 0.7, "white_balance.temperature": 0, "saturation.saturation": 1 },
  },
  says: "A light pool",
});
