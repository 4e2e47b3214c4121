import { RADIUS } from "../../state/colour";
import { Patch } from "./PatchSquare";

/** The patch whose colour would be picked. */
export function PickSquare() {
  return <Patch side={2 * RADIUS + 1} />;
}
