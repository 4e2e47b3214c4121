import { STATION_NAMES } from "../../names";
import { useView } from "../../state/view";
import { selectAt } from "../../state/within";
import type { Tool } from "./tool";

/** Moves the picture under the pane while it is larger. */
export const pan: Tool = {
  name: "pan",
  stations: STATION_NAMES,
  label: "Picture",
  cursor: (zoomed) => (zoomed ? "grab" : "default"),
  down: (from) => {
    if (from.selects) {
      void selectAt(from.scene);
      return null;
    }
    if (!from.zoomed) return null;
    const { pane, placing } = from.lay;
    const { zoom, left, top } = placing;
    const centre = [(pane.width / 2 - left) / zoom, (pane.height / 2 - top) / zoom];
    return {
      coarse: true,
      move: (at) =>
        useView.setState({ centre: [centre[0] - (at.x - from.x) / zoom, centre[1] - (at.y - from.y) / zoom] }),
      // The same place once more, as a new wish: the picture at rest is finer.
      end: () => useView.setState((s) => ({ centre: s.centre ? [...s.centre] : null })),
    };
  },
};
