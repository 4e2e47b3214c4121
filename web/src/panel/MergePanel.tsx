import { Button } from "@mui/material";

import { isActive, useNews } from "../api/news";
import { useInstructions, mergeAgain } from "../state/merging";
import { useScene } from "../state/scene";
import { CoverageFacts } from "./merge/CoverageFacts";
import { FramesTable } from "./merge/FramesTable";
import { How } from "./merge/How";
import { Moved } from "./merge/Moved";
import { Sky } from "./merge/Sky";
import { JobProgress } from "./JobProgress";

const LEADS = {
  single: "One frame, taken as it is.",
  bracket: "One radiance map, each place from the frames that measured it best.",
  stack: "Equal frames made one: less noise, and nothing that only passed.",
};

/** The Merge station: how the frames became one, what moved, what they covered. */
export function MergePanel() {
  const scene = useScene((s) => s.scene)!;
  const instructions = useInstructions();
  const jobs = useNews((s) => s.jobs);
  const merging = Object.values(jobs).find((j) => j.kind === "merge" && j.scene_id === scene.id && isActive(j));
  const report = scene.report;
  const notes = report ? [...report.set_aside, ...(report.calibration ?? []), ...report.warnings] : [];
  return (
    <>
      <h2>Merge</h2>
      <p className="lead">{LEADS[report?.mode ?? "bracket"]}</p>
      {merging ? (
        <JobProgress job={merging} />
      ) : (
        <Button variant={report ? "outlined" : "contained"} color={report ? "inherit" : "primary"} sx={{ borderColor: "divider" }} onClick={mergeAgain}>
          {report ? "Merge again" : "Merge"}
        </Button>
      )}
      {scene.fault && !merging && (
        <p className="fault" style={{ marginTop: 10 }}>
          {scene.fault}
        </p>
      )}
      {report?.coverage && <CoverageFacts coverage={report.coverage} report={report} />}
      {report && <FramesTable report={report} />}
      {report?.mode === "bracket" && report.frames.length > 1 && <Moved report={report} />}
      {report?.stack && <Sky report={report} />}
      {instructions && scene.frames.length > 1 && <How instructions={instructions} stack={report?.mode === "stack"} />}
      {notes.length > 0 && (
        <>
          <div className="group">Notes</div>
          <ul className="notes">
            {notes.map((t) => (
              <li key={t}>{t}</li>
            ))}
          </ul>
        </>
      )}
      {report && (
        <p className="dim" style={{ marginTop: 12 }}>
          {report.width} × {report.height} px, merged in {report.seconds.toFixed(1)} s.
        </p>
      )}
    </>
  );
}
