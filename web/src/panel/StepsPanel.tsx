import type { ReactNode } from "react";

import { useSteps } from "../api/queries";
import type { StationName } from "../names";
import { changed } from "../state/changes";
import { useScene } from "../state/scene";
import { BackToStart } from "./steps/BackToStart";
import { StepControls } from "./steps/StepControls";

interface Props {
  station: StationName;
  title: string;
  /** What it is for. */
  lead: string;
  /** What stands in its heading. */
  aside?: ReactNode;
  /** What stands above its steps. */
  children?: ReactNode;
  /** What stands below them. */
  below?: ReactNode;
}

/** The panel of a station of steps: everything in it is what the server says its steps have. */
export function StepsPanel({ station, title, lead, aside, children, below }: Props) {
  const idle = useScene((s) => s.scene?.automatic?.idle);
  const steps = (useSteps().data ?? []).filter((s) => s.station === station && !idle?.includes(s.name));
  const moved = useScene((s) => s.treatment !== null && steps.some((step) => changed(step, s.treatment!) > 0));
  return (
    <>
      <div className="heading">
        <h2 title={lead}>{title}</h2>
        {moved && <BackToStart of={title} steps={steps} />}
        {aside}
      </div>
      {children}
      {steps.map((step) => (
        <StepControls key={step.name} step={step} />
      ))}
      {below}
    </>
  );
}
