import { ToolButton } from "../ToolButton";

/** Picks the colour of a fringe on the picture. */
export function RimsTool() {
  return (
    <div className="buttons">
      <ToolButton
        tool="fringe"
        says="Pick a fringe"
        inHand="Click the fringe"
        title="Takes back the colour of a fringe that is clicked"
      />
    </div>
  );
}
