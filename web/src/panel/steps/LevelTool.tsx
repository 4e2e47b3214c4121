import { Button } from "@mui/material";

import { ask, take, useOffer } from "../../state/edges";
import { useScene } from "../../state/scene";
import { number } from "../../units";
import { ToolButton } from "../ToolButton";

/** A picture this level needs no offer, in degrees. */
const LEVEL = 0.05;

/** Levels by a line drawn on the picture, or by the lines that are found in it, which are offered. */
export function LevelTool() {
  const angle = useScene((s) => s.treatment?.level.angle ?? 0);
  const offer = useOffer(angle === 0).data;
  const offered = angle === 0 && offer && Math.abs(offer.level) >= LEVEL ? offer : null;
  const find = async () => {
    const found = await ask([], false);
    if (found) take(found, "Level by the lines of the picture", false);
  };
  return (
    <div className="tools">
      <ToolButton
        tool="plumb"
        says="Draw a line"
        inHand="Drag along an edge"
        title="Along a horizon, or an edge that stands. Key E"
      />
      <Button
        size="small"
        variant="outlined"
        color="inherit"
        className="below"
        onClick={() => (offered ? take(offered, "Level by the lines of the picture", false) : void find())}
        title="By most of the picture’s straight lines"
      >
        {offered ? `Found ${number(offered.level, 2, true)}°: take it` : "Find"}
      </Button>
    </div>
  );
}
