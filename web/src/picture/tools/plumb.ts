import { preview, store } from "../../state/scene";
import { withValue } from "../../state/values";
import { useView } from "../../state/view";
import { PlumbLine } from "../over/PlumbLine";
import { levelOf, usePlumb } from "../plumbline";
import type { Tool } from "./tool";

/** So short a line, in pixels of the screen, says nothing of a direction. */
const SHORTEST = 24;

/** Levels the picture by a line along a horizon or a standing edge. */
export const plumb: Tool = {
  name: "plumb",
  stations: ["geometry"],
  label: "Picture: draw along a horizon or a standing edge",
  cursor: () => "crosshair",
  down: (start) => {
    let long = 0;
    return {
      move: (at) => {
        long = Math.hypot(at.x - start.x, at.y - start.y);
        usePlumb.setState({ line: { from: start.scene, to: at.scene } });
      },
      end: () => {
        const { line } = usePlumb.getState();
        usePlumb.setState({ line: null });
        if (!line || long < SHORTEST) return;
        const angle = Math.round(levelOf(line) * 100) / 100;
        preview((t) => withValue(withValue(t, ["level", "angle"], angle), ["level", "on"], true));
        store("Level by a line");
        useView.setState({ tool: "pan" });
      },
    };
  },
  Over: PlumbLine,
};
