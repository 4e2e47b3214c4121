import { Button } from "@mui/material";

import { ask, take } from "../../state/edges";
import { ToolButton } from "../ToolButton";

/** Levels by a line drawn on the picture, or by the lines that are found in it. */
export function LevelTool() {
  const find = async () => {
    const found = await ask([], false);
    if (found) take(found, "Level by the lines of the picture", false);
  };
  return (
    <div className="tools">
      <ToolButton tool="plumb" says="Draw a line" inHand="Drag along an edge" title="Along a horizon, or an edge that stands. Key E" />
      <Button size="small" variant="outlined" color="inherit" className="below" onClick={() => void find()} title="By most of the picture’s straight lines">
        Find
      </Button>
    </div>
  );
}
