import { addTo, areaOf, beginPart, partOf, setPart, useAreas } from "../../state/areas";
import { grownOf } from "../../state/parts";
import { hold, release, store } from "../../state/scene";
import { seedsOf } from "../lasso";
import { LassoLine } from "../over/LassoLine";
import { drawOutline } from "./drawOutline";
import type { Drag, Pointed, Tool } from "./tool";

/** Hundredths of reach for each pixel that the pointer is dragged up. */
const PER_PIXEL = 0.2;

/** Takes a rough outline of a thing: the region grows up to what lies about it. */
const outlined = (from: Pointed): Drag =>
  drawOutline(from, (line) => {
    const [first, ...seeds] = seedsOf(line, (at) => from.lay.map.holds(at));
    if (!first || first.outside) return;
    const at = beginPart(grownOf(first, { seeds: [first, ...seeds], reach: 100 }));
    if (at) store("A region by its outline");
    useAreas.setState({ joins: "new", seeing: true });
  });

/**
 * Grows a region from where the picture is pressed; dragged up it reaches farther. Pressed again, it grows from there
 * as well, and with Ctrl what is there is kept out of it; with Alt a rough outline of a thing is drawn.
 */
export const grow: Tool = {
  name: "grow",
  stations: ["areas"],
  label: "Picture: press where a region is to grow from",
  cursor: () => "crosshair",
  Over: LassoLine,
  down: (from) => {
    if (!from.lay.map.holds(from.scene)) return null;
    if (from.straight) return outlined(from);
    const { selected, part, joins } = useAreas.getState();
    const into = joins === "new" ? partOf(selected, part) : undefined;
    const seed = { place: from.scene, outside: from.rubs, sure: true };
    let at: [string, string] | null = null;
    hold("area");
    if (into?.kind === "grown") {
      at = [selected!, part!];
      setPart(...at, { ...into, seeds: [...into.seeds, seed] });
    } else if (from.rubs && areaOf(selected)) {
      // Taken away from what the area is made of.
      const id = addTo(areaOf(selected)!, grownOf({ ...seed, outside: false }, { mode: "subtract" }));
      if (id) at = [selected!, id];
    } else {
      at = beginPart(grownOf({ ...seed, outside: false }));
    }
    const begun = at && partOf(...at);
    if (!at || begun?.kind !== "grown") {
      release();
      return null;
    }
    const [area, id] = at;
    useAreas.setState({ part: id });
    return {
      move: (to) => {
        const reach = Math.min(100, Math.max(0, begun.reach + (from.y - to.y) * PER_PIXEL));
        setPart(area, id, { ...begun, reach: Math.round(reach * 2) / 2 });
      },
      end: () => {
        release();
        useAreas.setState({ joins: "new", seeing: true });
        store("A region grown");
      },
    };
  },
};
