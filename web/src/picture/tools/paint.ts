import { beginStroke, beginTouch, continueStroke, endStroke, useStroke } from "../../state/painting";
import { PaintRing, DodgeBurnRing } from "../over/BrushRing";
import type { Step } from "../stroke";
import type { Drag, Pointed, Tool } from "./tool";

/** Steps nearer than this, in pixels of the screen, are one. */
const NEAR = 1.5;

const stepOf = ({ scene, pressure }: Pointed): Step => ({ at: scene, pressure });

/** A stroke from where the pointer is pressed; from the end of the last one, if it is to be straight. */
function stroke(at: Pointed, begin: (first: Step, rubs: boolean) => unknown): Drag | null {
  const { last } = useStroke.getState();
  const first = at.straight && last ? { at: last, pressure: at.pressure } : stepOf(at);
  if (!begin(first, at.rubs)) return null;
  if (at.straight && last) continueStroke(stepOf(at));
  let [x, y] = [at.x, at.y];
  return {
    move: (next) => {
      useStroke.setState({ at: next.scene });
      if (Math.hypot(next.x - x, next.y - y) < NEAR) return;
      [x, y] = [next.x, next.y];
      continueStroke(stepOf(next));
    },
    end: endStroke,
  };
}

/** Paints the mask of an area. */
export const paint: Tool = {
  name: "paint",
  stations: ["areas"],
  label: "Picture: paint the mask",
  cursor: () => "none",
  Over: PaintRing,
  down: (at) => stroke(at, beginStroke),
  hover: (at) => useStroke.setState({ at: at?.scene ?? null }),
};

/** Brightens or darkens as it paints, in small amounts that add up. */
export const dodgeBurn: Tool = {
  name: "dodgeBurn",
  stations: ["areas"],
  label: "Picture: paint to brighten or darken",
  cursor: () => "none",
  Over: DodgeBurnRing,
  down: (at) => stroke(at, beginTouch),
  hover: (at) => useStroke.setState({ at: at?.scene ?? null }),
};
