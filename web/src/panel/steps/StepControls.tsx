import { Checkbox } from "@mui/material";
import { type ComponentType, type ReactNode, useMemo } from "react";

import type { Dial as DialOf, Step } from "../../api/client";
import { changed } from "../../state/changes";
import { pointAt, pointAway } from "../../state/contribution";
import { toggle, useFolding } from "../../state/folding";
import { CurvePlot } from "../../curve/CurvePlot";
import { CurveTools } from "../../curve/CurveTools";
import { preview, store, useScene } from "../../state/scene";
import { valueAt, withValue } from "../../state/values";
import { Dial } from "../Dial";
import { useHeld } from "../useHeld";
import { HueCircle } from "../../circle/HueCircle";
import { RimsTool } from "../mend/RimsTool";
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
import { MoreButton } from "./MoreButton";
import { PaintedGlowTool } from "./PaintedGlowTool";
import { PerspectiveTool } from "./PerspectiveTool";
import { RungsBack } from "./RungsBack";
import { SecondLight } from "./SecondLight";
import { VignetteTool } from "./VignetteTool";
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
  rims: RimsTool,
  vignette: VignetteTool,
  painted_glow: PaintedGlowTool,
};

/** What stands before them. */
const LEADS: Record<string, ComponentType> = {
  lens: LensChoice,
  curve: CurvePlot,
  hues: HueCircle,
  tints: Tints,
};

/** What stands in the heading. */
const HEADS: Record<string, ComponentType> = { white_balance: KindOfLight };

/** What is folded away with what is not usual. */
const MORE: Record<string, ComponentType> = { white_balance: SecondLight };

type Parameter = Step["parameters"][number];

function Controls({ parameters }: { parameters: readonly Parameter[] }) {
  return parameters.map((p) =>
    p.kind === "dial" ? (
      <Dial key={p.name} dial={p} path={[p.step, p.name]} />
    ) : p.kind === "choice" ? (
      <ChoiceControl key={p.name} choice={p} />
    ) : (
      <ToggleControl key={p.name} toggle={p} />
    ),
  );
}

/** One step in its station's panel: its heading with a switch, and under it all that the server says it has. */
export function StepControls({ step }: { step: Step }) {
  const on = useScene((s) => (s.treatment ? (valueAt(s.treatment, [step.name, "on"]) as boolean) : true));
  const count = useScene((s) => (s.treatment ? changed(step, s.treatment) : 0));
  const open = useFolding((s) => s.open[step.name] ?? !step.folded);
  const more = useFolding((s) => s.open[`${step.name}.more`] ?? false);
  const turn = (value: boolean) => {
    preview((t) => withValue(t, [step.name, "on"], value));
    store(`${step.title} ${value ? "on" : "off"}`);
  };
  const hold = useHeld(useMemo(() => [step.name], [step.name]));
  const grouped = step.parameters.filter((p): p is DialOf => p.kind === "dial" && p.group != null);
  // A dial that does nothing with what is chosen is not there.
  const acting = useScene((s) =>
    step.parameters
      .filter((p) => p.kind === "dial" && p.where && s.treatment)
      .filter((p) => {
        const { choice, values } = (p as DialOf).where!;
        return values.includes(valueAt(s.treatment!, [step.name, choice]) as string);
      })
      .map((p) => p.name)
      .join(" "),
  ).split(" ");
  const single = step.parameters.filter(
    (p) => p.kind !== "dial" || (!p.group && (!p.where || acting.includes(p.name))),
  );
  const usual = single.filter((p) => p.usual);
  const others = single.filter((p) => !p.usual);
  const [Widget, Lead, Head, More] = [WIDGETS, LEADS, HEADS, MORE].map(
    (of) => of[step.name] as ComponentType | undefined,
  );
  const body = `step-${step.name}`;
  const unfolds = (others.length > 0 || More) && <MoreButton step={step} others={others} />;
  const folded: ReactNode = more && (
    <div className="more">
      <Controls parameters={others} />
      {More && <More />}
    </div>
  );
  const use = (
    <Checkbox
      color="default"
      checked={on}
      onChange={(e) => turn(e.target.checked)}
      slotProps={{ input: { "aria-label": `Use ${step.title}` } }}
    />
  );
  const [only, ...rest] = usual;
  // A step that is one dial of its own name needs no heading over it: its switch stands before the dial.
  if (only?.kind === "dial" && only.title === step.title && rest.length === 0 && grouped.length === 0) {
    return (
      <section aria-label={step.title} className={on ? "step alone" : "step alone off"} data-step={step.name}>
        {use}
        <div inert={!on}>
          <Dial dial={only} path={[only.step, only.name]} beside={unfolds} heading={hold} />
          {folded}
          {Widget && <Widget />}
        </div>
      </section>
    );
  }
  return (
    <section aria-label={step.title} className={on ? "step" : "step off"} data-step={step.name}>
      <div
        className="group"
        onPointerEnter={() => on && count > 0 && pointAt(step.title, [step.name])}
        onPointerLeave={pointAway}
      >
        {use}
        <h3>
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
        </h3>
        {count > 0 && <BackToStart of={step.title} steps={[step]} />}
        {open && Head && <Head />}
        {open && unfolds}
      </div>
      {open && (
        <div id={body} inert={!on}>
          {Lead && <Lead />}
          <Controls parameters={usual} />
          {grouped.length > 0 && <GroupedDials dials={grouped} />}
          {Widget && <Widget />}
          {folded}
        </div>
      )}
    </section>
  );
}
