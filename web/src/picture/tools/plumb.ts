import { preview, store } from "../../state/scene";
import { useView } from "../../state/view";
import { PlumbLine } from "../over/PlumbLine";
import { levelOf } from "../plumbline";
import { drawLine } from "./line";
import type { Tool } from "./tool";

/** A picture is levelled up to so many degrees; more is a quarter turn. */
const MOST = 45;

/** Levels the picture by a line along a horizon or a standing edge: it adds to the turn that the picture has. */
export const plumb: Tool = {
  name: "plumb",
  stations: ["geometry"],
  label: "Picture: draw along a horizon or a standing edge",
  cursor: () => "crosshair",
  down: drawLine((line) => {
    preview((t) => {
      const turned = (t.level.on ? t.level.angle : 0) + levelOf(line);
      const angle = Math.round(Math.min(MOST, Math.max(-MOST, turned)) * 100) / 100;
      return { ...t, level: { ...t.level, on: true, angle } };
    });
    store("Level by a line");
    useView.setState({ tool: "pan" });
  }),
  Over: PlumbLine,
};
