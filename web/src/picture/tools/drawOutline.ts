import type { Point } from "../map";
import { useLasso } from "../over/LassoLine";
import type { Drag, Pointed } from "./tool";

/** Places of an outline nearer than this, in pixels of the screen, are one. */
const NEAR = 4;

/** Draw an outline from where the picture is pressed; told once it is let go. */
export function drawOutline(from: Pointed, done: (line: Point[]) => void): Drag {
  let [x, y] = [from.x, from.y];
  useLasso.setState({ line: [from.scene] });
  return {
    move: (to) => {
      if (Math.hypot(to.x - x, to.y - y) < NEAR) return;
      [x, y] = [to.x, to.y];
      useLasso.setState((s) => ({ line: [...s.line, to.scene] }));
    },
    end: () => {
      const { line } = useLasso.getState();
      useLasso.setState({ line: [] });
      done(line);
    },
  };
}
