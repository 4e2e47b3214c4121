import { useStrip } from "../../state/strip";
import type { Tool } from "./tool";

/** Chooses the patch that is shown at several strengths of noise reduction. */
export const patch: Tool = {
  name: "patch",
  stations: ["noise"],
  label: "Picture: click the place to compare strengths at",
  cursor: () => "crosshair",
  down: ({ place }) => {
    const put = (at: { place: [number, number] }) => useStrip.setState({ at: at.place });
    put({ place });
    return { move: put, end: () => undefined };
  },
};
