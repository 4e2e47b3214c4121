import { useStroke } from "../../state/painting";
import { simplified, type Step, written } from "../stroke";
import type { Drag, Pointed } from "./tool";

/** Places nearer than this, in pixels of the screen, are one. */
const NEAR = 2;
/** A line has at most so many places. */
const MOST = 400;

const stepOf = ({ scene }: Pointed): Step => ({ at: scene, pressure: 1 });

/** Places as documents write them: as few as tell their line. */
export function pointsOf(steps: Step[], close: number): number[] {
  let few = simplified(steps, close);
  for (let wider = 2; few.length > MOST; wider *= 2) few = simplified(steps, close * wider);
  return written(few).points;
}

/** A stroke of a brush, drawn over the picture until it is let go; straight from end to end with Alt. */
export function stroke(from: Pointed, done: (steps: Step[]) => void): Drag {
  let [x, y] = [from.x, from.y];
  useStroke.setState({ under: { steps: [stepOf(from)], rubs: false } });
  return {
    move: (to) => {
      if (Math.hypot(to.x - x, to.y - y) < NEAR) return;
      [x, y] = [to.x, to.y];
      useStroke.setState(({ under }) => ({
        at: to.scene,
        under: { steps: [...(to.straight ? [stepOf(from)] : (under?.steps ?? [])), stepOf(to)], rubs: false },
      }));
    },
    end: () => {
      const { under } = useStroke.getState();
      useStroke.setState({ under: null });
      if (under) done(under.steps);
    },
  };
}
