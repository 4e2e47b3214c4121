import { useHeldRung } from "../../ladder/rungs";
import { hold, preview, release, rungAt, store, withRung } from "../../state/scene";
import { useView } from "../../state/view";
import { number } from "../../units";
import type { Tool } from "./tool";

/** Vertical way on the picture, in pixels, that moves a rung by one stop. */
const PER_STOP = 70;

/** Drags the stop under the pointer to another tone. */
export const place: Tool = {
  name: "place",
  stations: ["light"],
  label: "Picture",
  cursor: () => "ns-resize",
  down: (from) => {
    const { probe } = useView.getState();
    if (!probe || !from.treatment) return null;
    const stop = Math.round(probe.stop);
    const ev = rungAt(from.treatment, stop);
    hold();
    useHeldRung.setState({ stop });
    return {
      move: (at) => preview((t) => withRung(t, stop, ev + (from.y - at.y) / PER_STOP)),
      end: () => {
        release();
        useHeldRung.setState({ stop: null });
        store(`Rung at ${number(stop, 0, true)} EV`);
      },
    };
  },
};
