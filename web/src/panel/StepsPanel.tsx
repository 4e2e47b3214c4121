import type { ReactNode } from "react";

import { useSteps } from "../api/queries";
import type { StationName } from "../names";
import { StepControls } from "./steps/StepControls";

interface Props {
  station: StationName;
  title: string;
  lead: string;
  /** What stands above its steps. */
  children?: ReactNode;
  /** What stands below them. */
  below?: ReactNode;
}

/** The panel of a station of steps: everything in it is what the server says its steps have. */
export function StepsPanel({ station, title, lead, children, below }: Props) {
  const steps = useSteps().data ?? [];
  return (
    <>
      <h2>{title}</h2>
      <p className="lead">{lead}</p>
      {children}
      {steps
        .filter((s) => s.station === station)
        .map((step) => (
          <StepControls key={step.name} step={step} />
        ))}
      {below}
    </>
  );
}
