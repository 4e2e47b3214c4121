import { addGlow } from "../../state/glow";
import { usePainting, useStroke } from "../../state/painting";
import { GlowRing } from "../over/BrushRing";
import { pointsOf, stroke } from "./strokes";
import type { Tool } from "./tool";

/** Lays light in the colour of the lamp that a stroke begins at. */
export const glowBrush: Tool = {
  name: "glowBrush",
  stations: ["finish"],
  label: "Picture: stroke from a lamp outwards",
  cursor: () => "none",
  Over: GlowRing,
  hover: (at) => useStroke.setState({ at: at?.scene ?? null }),
  down: (from) => {
    if (!from.lay.map.holds(from.scene)) return null;
    const { radius, flow } = usePainting.getState().glow;
    return stroke(from, (steps) => addGlow({ points: pointsOf(steps, radius / 10), radius, strength: flow }));
  },
};
