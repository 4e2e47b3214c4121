import { Checkbox } from "@mui/material";
import { type ComponentType, useMemo } from "react";

import type { Dial as DialOf, Step } from "../../api/client";
import { changed } from "../../state/changes";
import { toggle, useFolding } from "../../state/folding";
import { CurvePlot } from "../../curve/CurvePlot";
import { CurveTools } from "../../curve/CurveTools";
import { preview, store, useScene } from "../../state/scene";
import { valueAt, withValue } from "../../state/values";
import { Dial } from "../Dial";
import { useHeld } from "../useHeld";
import { HueCircle } from "../../circle/HueCircle";
import { CastTool } from "../colour/CastTool";
import { Ranges } from "../colour/Ranges";
import { Tints } from "../colour/Tints";
import { BackToStart } from "./BackToStart";
import { ChoiceControl, ToggleControl } from "./controls";
import { CropFacts } from "./CropFacts";
import { GroupedDials } from "./GroupedDials";
import { KindOfLight } from "./KindOfLight";
import { LensChoice } from "./LensChoice";
import { LensTools } from "./LensTools";
import { LevelTool } from "./LevelTool";
import { PerspectiveTool } from "./PerspectiveTool";
import { RungsBack } from "./RungsBack";
import { WhiteReadings } from "./WhiteReadings";

/** What a step has in its panel besides dials, choices and toggles: one widget each. */
const WIDGETS: Record<string, ComponentType> = {
  white_balance: WhiteReadings,
  placement: RungsBack,
  curve: CurveTools,
  hues: Ranges,
  cast: CastTool,
  lens: LensTools,
  level: LevelTool,
  perspective: PerspectiveTool,
  crop: CropFacts,
};

/** What stands before them. */
const LEADS: Record<string, ComponentType> = {
  lens: LensChoice,
  white_balance: KindOfLight,
  curve: CurvePlot,
  hues: HueCircle,
  tints: Tints,
};

/** One step in its station's panel: its heading with a switch, and under it all that the server says it has. */
export function StepControls({ step }: { step: Step }) {
  const on = useScene((s) => (s.treatment ? (valueAt(s.treatment, [step.name, "on"]) as boolean) : true));
  const count = useScene((s) => (s.treatment ? changed(step, s.treatment) : 0));
  const open = useFolding((s) => s.open[step.name] ?? !step.folded);
  const Widget = WIDGETS[step.name];
  const Lead = LEADS[step.name];
  const turn = (value: boolean) => {
    preview((t) => withValue(t, [step.name, "on"], value));
    store(`${step.title} ${value ? "on" : "off"}`);
  };
  const hold = useHeld(useMemo(() => [step.name], [step.name]));
  const grouped = step.parameters.filter((p): p is DialOf => p.kind === "dial" && p.group != null);
  const body = `step-${step.name}`;
  const use = (
    <Checkbox
      color="default"
      checked={on}
      onChange={(e) => turn(e.target.checked)}
      slotProps={{ input: { "aria-label": `Use ${step.title}` } }}
    />
  );
  const [only, ...others] = step.parameters;
  // A step that is one dial of its own name needs no heading over it: its switch stands before the dial.
  if (only?.kind === "dial" && only.title === step.title && others.length === 0) {
    return (
      <section aria-label={step.title} className={on ? "step alone" : "step alone off"} data-step={step.name}>
        {use}
        <div inert={!on}>
          <Dial dial={only} path={[only.step, only.name]} />
          {Widget && <Widget />}
        </div>
      </section>
    );
  }
  return (
    <section aria-label={step.title} className={on ? "step" : "step off"} data-step={step.name}>
      <h3 className="group">
        {use}
        <button
          aria-expanded={open}
          aria-controls={body}
          title="Hold to see the picture without it"
          onClick={() => toggle(step.name, !open)}
          {...hold}
        >
          {step.title}
          {!open && <span className="count">{count ? `${count} changed` : "as it was"}</span>}
        </button>
        {count > 0 && <BackToStart of={step.title} steps={[step]} />}
      </h3>
      {open && (
        <div id={body} inert={!on}>
          {Lead && <Lead />}
          {step.parameters.map((p) =>
            p.kind === "dial" && p.group ? null : p.kind === "dial" ? (
              <Dial key={p.name} dial={p} path={[p.step, p.name]} />
            ) : p.kind === "choice" ? (
              <ChoiceControl key={p.name} choice={p} />
            ) : (
              <ToggleControl key={p.name} toggle={p} />
            ),
          )}
          {grouped.length > 0 && <GroupedDials dials={grouped} />}
          {Widget && <Widget />}
        </div>
      )}
    </section>
  );
}
