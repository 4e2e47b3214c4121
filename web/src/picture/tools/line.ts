import { type Line, useLine } from "../plumbline";
import type { Pointed, Tool } from "./tool";

/** So short a line, in pixels of the screen, says nothing of a direction. */
const SHORTEST = 24;

/** Begin a line: drawn while the pointer moves, and given away when it is lifted if it is long enough. */
export const drawLine =
  (done: (line: Line, from: Pointed, to: Pointed) => void): Tool["down"] =>
  (start) => {
    let last: Pointed | null = null;
    return {
      move: (at) => {
        last = at;
        useLine.setState({ line: { from: start.place, to: at.place } });
      },
      end: () => {
        useLine.setState({ line: null });
        if (last && Math.hypot(last.x - start.x, last.y - start.y) >= SHORTEST)
          done({ from: start.place, to: last.place }, start, last);
      },
    };
  };
