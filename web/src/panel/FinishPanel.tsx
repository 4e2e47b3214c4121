import { StepsPanel } from "./StepsPanel";

/** The Finish station: the last look. */
export default function FinishPanel() {
  return <StepsPanel station="finish" title="Finish" lead="The last look, in the order in which it acts." />;
}
