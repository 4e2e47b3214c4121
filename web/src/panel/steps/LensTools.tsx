import { Button } from "@mui/material";

import { measureFalloff, useBent } from "../../state/lens";
import { ToolButton } from "../ToolButton";

/** What the picture itself tells of its lens, where no profile does. */
export function LensTools() {
  const count = useBent((s) => s.edges.length);
  const none = () => useBent.setState({ edges: [] });
  return (
    <div className="tools">
      <ToolButton
        tool="bent"
        before={none}
        says="Draw a bent edge"
        inHand={count ? "One more, or done" : "Drag from end to end"}
        title="Along an edge that should be straight, far from the middle: it is followed, and the distortion set so that it is"
      />
      <Button
        size="small"
        variant="outlined"
        color="inherit"
        className="below"
        onClick={() => void measureFalloff()}
        title="How dark the corners are, by the picture’s even places. Replaces the profile’s fall-off"
      >
        Measure fall-off
      </Button>
    </div>
  );
}
