import { hold, preview, release, store } from "../../state/scene";
import { useView } from "../../state/view";
import type { Tool } from "./tool";

/** What a vignette that was none becomes, in EV: at the corners, and about its middle. */
const EDGES = -0.8;
const INSIDE = 0.15;
/** Sizes there may be, in %. */
const SIZES: [number, number] = [10, 150];

/** Draws a vignette from its middle to where half of it is reached. */
export const vignette: Tool = {
  name: "vignette",
  stations: ["finish"],
  label: "Picture: drag from the middle of the vignette to where half of it is reached",
  cursor: () => "crosshair",
  down: (start) => {
    hold();
    return {
      coarse: true,
      move: ({ place, lay }) => {
        const { width, height } = lay.map.size;
        // As the step counts it: half axes are the picture's, and its corners lie at 100 %.
        const away = Math.hypot((2 * (place[0] - start.place[0])) / width, (2 * (place[1] - start.place[1])) / height);
        const size = Math.min(SIZES[1], Math.max(SIZES[0], Math.round((away / Math.SQRT2) * 100)));
        const held = (share: number) => Math.min(4, Math.max(-4, share));
        const centre = start.scene.map(held);
        preview((t) => {
          const none = !t.vignette.on || (!t.vignette.amount && !t.vignette.inside);
          const light = none ? { amount: EDGES, inside: INSIDE, on: true } : {};
          return { ...t, vignette: { ...t.vignette, ...light, centre, size } };
        });
      },
      end: () => {
        release();
        useView.setState({ tool: "pan" });
        store("A vignette");
      },
    };
  },
};
