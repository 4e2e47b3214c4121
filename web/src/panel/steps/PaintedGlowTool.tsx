import { Button } from "@mui/material";

import { takeGlow } from "../../state/glow";
import { useScene } from "../../state/scene";
import { useView } from "../../state/view";
import { BrushDials } from "../BrushDials";
import { ToolButton } from "../ToolButton";

const FLOWS = { title: "Light", help: "How bright a stroke is; strokes over each other add up." };

/** Paints light round lamps, and takes it away. */
export function PaintedGlowTool() {
  const count = useScene((s) => s.treatment?.painted_glow.strokes.length ?? 0);
  const painting = useView((s) => s.tool === "glowBrush");
  return (
    <>
      <div className="buttons">
        <ToolButton
          tool="glowBrush"
          says="Paint"
          inHand="Stroke from a lamp"
          title="Lays light in the colour of the lamp that a stroke begins at. Key G; , and . size it"
        />
        {count > 0 && (
          <>
            <Button size="small" color="inherit" className="below" onClick={() => takeGlow(false)}>
              last away
            </Button>
            <Button size="small" color="inherit" className="below" onClick={() => takeGlow(true)}>
              all {count} away
            </Button>
          </>
        )}
      </div>
      {painting && <BrushDials brush="glow" label="Brush of glow" flows={FLOWS} />}
    </>
  );
}
