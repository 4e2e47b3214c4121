import { Button } from "@mui/material";

import { useMerging } from "../api/news";
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
  trails: "Equal frames made one by their brightest: what moved has drawn its trail.",
};

/** The Merge station: how the frames became one, what moved, what they covered. */
export default function MergePanel() {
  const scene = useScene((s) => s.scene)!;
  const instructions = useInstructions();
  const merging = useMerging(scene.id);
  const report = scene.report;
  const notes = report ? [...report.set_aside, ...(report.calibration ?? []), ...report.warnings] : [];
  return (
    <>
      <h2>Merge</h2>
      <p className="lead">{LEADS[report?.stack?.method === "maximum" ? "trails" : (report?.mode ?? "bracket")]}</p>
      {merging ? (
        <JobProgress job={merging} />
      ) : (
        <Button variant={report ? "outlined" : "contained"} color={report ? "inherit" : "primary"} onClick={mergeAgain}>
          {report ? "Merge again" : "Merge"}
        </Button>
      )}
      {scene.fault && !merging && <p className="fault spaced">{scene.fault}</p>}
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
        <p className="dim spaced">
          {report.width} × {report.height} px, merged in {report.seconds.toFixed(1)} s
          {report.detail_frames > 0 &&
            `, with the detail of the sites of ${report.detail_frames} frames, ${report.detail_db.toFixed(1)} dB closer to what they measured`}
          .
        </p>
      )}
    </>
  );
}
