import { added, type Channel, moved } from "../../curve/points";
import { setPoints, storeCurve, useCurve } from "../../state/curve";
import { hold, release } from "../../state/scene";
import { useView } from "../../state/view";
import type { Tool } from "./tool";

/** Vertical way on the picture, in pixels, that moves a point by one stop. */
const PER_STOP = 70;
const ORDER: Channel[] = ["points", "red", "green", "blue"];

/** Takes hold of the curve at the light under the pointer. */
export const curve: Tool = {
  name: "curve",
  stations: ["light"],
  label: "Picture: drag a place up or down",
  cursor: () => "ns-resize",
  down: (from) => {
    const entering = useView.getState().probe?.entering;
    if (!entering) return null;
    const at = entering[ORDER.indexOf(useCurve.getState().channel)];
    let index = -1;
    let to = 0;
    setPoints((points) => {
      const next = added(points, at);
      index = next.index;
      to = next.points[index]?.to ?? 0;
      return next.points;
    });
    if (index < 0) return null;
    useCurve.setState({ chosen: index });
    hold();
    return {
      move: (now) =>
        setPoints((points) => moved(points, index, { at: points[index].at, to: to + (from.y - now.y) / PER_STOP })),
      end: () => {
        release();
        storeCurve();
      },
    };
  },
};
