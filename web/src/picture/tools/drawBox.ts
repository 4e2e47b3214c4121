import { boxBetween, type SceneBox } from "../../state/check";
import type { Tool } from "./tool";

/** Begin a box of the scene: told while the pointer moves, and once more when it is lifted. A click draws nothing. */
export const drawBox =
  (moving: (box: SceneBox) => void, done: (box: SceneBox) => void): Tool["down"] =>
  ({ scene: from }) => {
    let to = from;
    return {
      move: ({ scene }) => {
        to = scene;
        moving(boxBetween(from, to));
      },
      end: () => {
        if (to !== from) done(boxBetween(from, to));
      },
    };
  };
