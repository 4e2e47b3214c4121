import { boxBetween } from "../../state/check";
import { addPatch, setPatch, useCopying, useMend } from "../../state/mend";
import { tell } from "../../state/messages";
import { usePainting, useStroke } from "../../state/painting";
import { store } from "../../state/scene";
import { useView } from "../../state/view";
import type { Point } from "../map";
import { CopyRing } from "../over/CopyRing";
import { MendRing } from "../over/BrushRing";
import { Lasso, useLasso } from "../over/LassoLine";
import { drawOutline } from "./drawOutline";
import { pointsOf, stroke } from "./strokes";
import type { Pointed, Tool } from "./tool";

const hover = (at: Pointed | null) => useStroke.setState({ at: at?.scene ?? null });

/** Replaces a spot by a click, and what lies along a stroke: dust, a bird, a wire. */
export const mend: Tool = {
  name: "mend",
  stations: ["mend"],
  label: "Picture: click or stroke what should not be there",
  cursor: () => "none",
  Over: MendRing,
  hover,
  down: (from) => {
    if (!from.lay.map.holds(from.scene)) return null;
    const { radius, hardness } = usePainting.getState().mend;
    return stroke(from, (steps) =>
      addPatch(
        { points: pointsOf(steps, radius / 10), radius: Math.min(radius, 0.25), softness: 100 - hardness },
        steps.length > 1 ? "A stroke mended" : "A spot mended",
      ),
    );
  },
};

/** Replaces what lies within an outline: a boat, a sign, a group of people. */
export const mendOutline: Tool = {
  name: "mendOutline",
  stations: ["mend"],
  label: "Picture: draw round what should not be there",
  cursor: () => "crosshair",
  Over: Lasso,
  down: (from) =>
    drawOutline(from, (line) => {
      const pixel = 1 / from.lay.placing.zoom / from.lay.map.long;
      const points = pointsOf(
        line.map((at) => ({ at, pressure: 1 })),
        pixel,
      );
      if (points.length >= 6) addPatch({ points, closed: true, radius: 0 }, "What was outlined mended");
    }),
};

/** Copies from a place that was chosen: with Ctrl it is chosen, each stroke takes from there. */
export const mendCopy: Tool = {
  name: "mendCopy",
  stations: ["mend"],
  label: "Picture: with Ctrl press where to copy from, then stroke where to",
  cursor: () => "none",
  Over: CopyRing,
  hover,
  down: (from) => {
    if (!from.lay.map.holds(from.scene)) return null;
    const { places, at, aligned, shift } = useCopying.getState();
    if (from.rubs) {
      useCopying.setState({ places: [...places, from.scene].slice(-9), at: Math.min(places.length, 8), shift: null });
      return null;
    }
    if (!places[at]) {
      tell("Press with Ctrl where it is to be copied from first.", "note");
      return null;
    }
    const way: Point = aligned && shift ? shift : [places[at][0] - from.scene[0], places[at][1] - from.scene[1]];
    useCopying.setState({ shift: way });
    const { radius, hardness, flow } = usePainting.getState().mend;
    return stroke(from, (steps) =>
      addPatch(
        {
          points: pointsOf(steps, radius / 10),
          radius: Math.min(radius, 0.25),
          softness: 100 - hardness,
          opacity: flow,
          origin: { shift: way, scale: 1, turn: 0, mirror: false },
          fit: "copy",
        },
        "A stroke copied",
      ),
    );
  },
};

/** Draws the box that the patch which is worked on is looked for in. */
export const mendWithin: Tool = {
  name: "mendWithin",
  stations: ["mend"],
  label: "Picture: drag over where to look",
  cursor: () => "crosshair",
  Over: Lasso,
  down: ({ scene: from }) => {
    let to = from;
    return {
      move: ({ scene }) => {
        to = scene;
        useLasso.setState({ line: [from, [scene[0], from[1]], scene, [from[0], scene[1]]] });
      },
      end: () => {
        useLasso.setState({ line: [] });
        const { layer, patch } = useMend.getState();
        const [x, y, w, h] = boxBetween(from, to);
        if (layer && patch && w > 0 && h > 0) {
          setPatch(layer, patch, { within: [x, y, x + w, y + h], origin: null, other: null, attempt: 0 });
          store("Looked for in a box");
        }
        useView.setState({ tool: "pan" });
      },
    };
  },
};
