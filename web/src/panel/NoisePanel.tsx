import { isActive, useLastJob } from "../api/news";
import { useScene } from "../state/scene";
import { JobProgress } from "./JobProgress";
import { StepsPanel } from "./StepsPanel";
import { CheckNoise } from "./noise/CheckNoise";
import { OutputReach } from "./noise/OutputReach";
import { SplitAgain } from "./noise/SplitAgain";
import { ToolButton } from "./ToolButton";

/** The Noise station. */
export default function NoisePanel() {
  const id = useScene((s) => s.scene?.id ?? 0);
  const split = useScene((s) => s.scene?.noise != null);
  const job = useLastJob("noise", id);
  return (
    <StepsPanel
      station="noise"
      title="Noise"
      lead="Take out what the camera added; keep what was there."
      below={
        <>
          <OutputReach />
          <CheckNoise />
        </>
      }
    >
      {job && isActive(job) ? (
        <JobProgress job={job} />
      ) : (
        !split && <SplitAgain scene={id} fault={job?.fault ?? null} />
      )}
      <ToolButton
        tool="patch"
        says="Compare strengths"
        inHand="Comparing: click a place"
        title="A patch at several strengths side by side. Key I"
      />
    </StepsPanel>
  );
}
