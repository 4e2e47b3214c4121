import { Button } from "@mui/material";

import { useSteps } from "../api/queries";
import { addLayer, findDust, findPassing, useChosenPatch, useMend, useSolved } from "../state/mend";
import { useScene } from "../state/scene";
import { useView } from "../state/view";
import { CopyDials } from "./mend/CopyDials";
import { BrushDials } from "./BrushDials";
import { MendLayers } from "./mend/MendLayers";
import { PatchDials } from "./mend/PatchDials";
import { StepControls } from "./steps/StepControls";
import { ToolButton } from "./ToolButton";

const FLOWS = { title: "Flow", help: "How far each stroke covers; strokes over each other add up." };

/** The Mend station: what should not be there is replaced. */
export default function MendPanel() {
  const mend = useScene((s) => s.treatment?.mend) ?? [];
  const tool = useView((s) => s.tool);
  const chosen = useChosenPatch();
  const layer = useMend((s) => s.layer);
  const steps = (useSteps().data ?? []).filter((step) => step.station === "mend");
  const solved = useSolved(true).data?.patches ?? [];
  return (
    <>
      <div className="heading">
        <h2>Mend</h2>
        {mend.length > 0 && (
          <button className="quiet" onClick={addLayer} title="Mends that are switched and faded by themselves">
            new layer
          </button>
        )}
      </div>
      {mend.length === 0 && <p className="lead">Click or outline what should not be there.</p>}
      <div className="buttons">
        <ToolButton
          tool="mend"
          says="Spot or stroke"
          inHand="Click or stroke it"
          title="D: dust by a click, a wire along a stroke; with Alt straight from end to end"
        />
        <ToolButton
          tool="mendOutline"
          says="Outline"
          inHand="Draw round it"
          title="O: something larger, filled from what surrounds it"
        />
        <ToolButton
          tool="mendCopy"
          says="Copy from a place"
          inHand="Ctrl: from where; stroke: to where"
          title="C: strokes copy from a place of your choice"
        />
        <Button
          size="small"
          variant="outlined"
          color="inherit"
          title="Small soft shadows in even places, in a layer of their own"
          onClick={() => void findDust()}
        >
          Find dust
        </Button>
        <Button
          size="small"
          variant="outlined"
          color="inherit"
          title="Trails of satellites and aircraft in the sky, in a layer of their own; meteors stay"
          onClick={() => void findPassing()}
        >
          Find passing lights
        </Button>
      </div>
      {(tool === "mend" || tool === "mendCopy") && (
        <BrushDials
          brush="mend"
          label="Brush of mends"
          softens="How far the edge of new mends fades inwards."
          flows={tool === "mendCopy" ? FLOWS : null}
        />
      )}
      {tool === "mendCopy" && <CopyDials />}
      <MendLayers mend={mend} solved={solved} open={layer ?? mend.at(-1)?.id ?? null} />
      {chosen && (
        <PatchDials layer={chosen[0]} patch={chosen[1]} solved={solved.find((one) => one.id === chosen[1].id)} />
      )}
      {steps.map((step) => (
        <StepControls key={step.name} step={step} />
      ))}
    </>
  );
}
