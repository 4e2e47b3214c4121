import type { HueRange } from "../../api/client";
import { pickRange, rangeNamed, setRange } from "../../state/colour";
import { hold, release, store } from "../../state/scene";
import { PickSquare } from "../over/PickSquare";
import type { Pointed, Tool } from "./tool";

/** So far the pointer goes before it is told which way, in pixels; then that way counts alone. */
const TELLS = 6;
/** EV, degrees, and stops of saturation for each pixel. */
const [LIGHTNESS, SHIFT, SATURATION] = [1 / 120, 0.25, 1 / 150];

const held = (v: number, most: number) => Math.min(most, Math.max(-most, v));

/** What a drag makes of a range: up and down its lightness, sideways its hue, or with Shift its saturation. */
export function draggedRange(was: HueRange, dx: number, dy: number, saturation: boolean): Partial<HueRange> {
  if (Math.abs(dy) >= Math.abs(dx)) return { lightness: Math.round(held(was.lightness - dy * LIGHTNESS, 2) * 20) / 20 };
  if (saturation) return { saturation: Math.round(Math.min(3, was.saturation * 2 ** (dx * SATURATION)) * 100) / 100 };
  return { shift: Math.round(held(was.shift + dx * SHIFT, 60) * 2) / 2 };
}

/** Picks the colour of a place that is pressed: the range that has it, or a new one; dragged on, it is changed. */
export const pick: Tool = {
  name: "pick",
  stations: ["colour"],
  label: "Picture: click a colour, and drag it",
  cursor: () => "crosshair",
  Over: PickSquare,
  down: (from) => {
    if (!from.lay.map.holds(from.scene)) return null;
    let at: Pointed | null = null;
    let was: HueRange | undefined;
    let done = false;
    let sideways: boolean | null = null;
    const show = () => {
      if (!at || !was) return;
      const [dx, dy] = [at.x - from.x, at.y - from.y];
      if (sideways === null && Math.hypot(dx, dy) < TELLS) return;
      sideways ??= Math.abs(dx) > Math.abs(dy);
      setRange(was, sideways ? draggedRange(was, dx, 0, at.aside) : draggedRange(was, 0, dy, false));
    };
    const end = () => {
      if (sideways === null) return;
      release();
      store(`${was!.name} dragged`);
    };
    // What the colour is takes a moment: what was dragged by then is made up for.
    void pickRange(from.scene).then((name) => {
      was = name === undefined ? undefined : rangeNamed(name);
      if (was && at) hold();
      show();
      if (done) end();
    });
    return {
      move: (to) => {
        if (was && !at) hold();
        at = to;
        show();
      },
      end: () => {
        done = true;
        if (was) end();
      },
    };
  },
};
