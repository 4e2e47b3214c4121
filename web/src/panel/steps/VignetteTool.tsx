import { ToolButton } from "../ToolButton";

/** Draws the vignette on the picture. */
export function VignetteTool() {
  return (
    <div className="buttons">
      <ToolButton
        tool="vignette"
        says="Draw it"
        inHand="Drag from its middle"
        title="Drag on the picture from its middle to where half of it is reached. Key W"
      />
    </div>
  );
}
