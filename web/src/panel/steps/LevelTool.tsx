import { ToolButton } from "../ToolButton";

/** Levels by a line drawn on the picture. */
export const LevelTool = () => (
  <ToolButton tool="plumb" says="Draw a line that should lie or stand" inHand="Drag along a horizon or an edge" title="Key E" />
);
