import { Button, Checkbox } from "@mui/material";

import { answered, api, type Frame } from "../api/client";
import { isActive, useNews } from "../api/news";
import { told } from "../state/messages";
import { loadScene, useScene } from "../state/scene";
import { useView } from "../state/view";
import { number, percent, shutter } from "../units";
import { JobProgress } from "./JobProgress";

/** The Frames station: look from dark to bright, leave a bad frame out. */
export function FramesPanel() {
  const scene = useScene((s) => s.scene)!;
  const shown = useView((s) => s.frame);
  const jobs = useNews((s) => s.jobs);
  const merging = Object.values(jobs).find((j) => j.kind === "merge" && j.scene_id === scene.id && isActive(j));
  const report = scene.report;
  const merged = new Set(report?.frames.map((f) => f.name));
  const aside = report?.set_aside ?? [];
  const waiting = scene.frames.filter((f) => f.included).some((f) => !merged.has(f.name) && !aside.some((t) => t.startsWith(f.name)));
  const dropped = scene.frames.filter((f) => !f.included).some((f) => merged.has(f.name));
  const current = scene.frames.find((f) => f.id === shown);

  const include = (frame: Frame, included: boolean) =>
    told(
      answered(api.PATCH("/api/frames/{frame_id}", { params: { path: { frame_id: frame.id } }, body: { included } })).then(() =>
        loadScene(scene.id),
      ),
    );

  return (
    <>
      <h2>Frames</h2>
      <p className="lead">
        {scene.frames.length === 1 ? "One frame." : `${scene.frames.length} frames, from the darkest to the brightest.`} Look through them with the arrow keys.
      </p>
      <div className="frames-list" role="listbox" aria-label="Frames">
        {scene.frames.map((frame) => (
          <div key={frame.id} className="frame" role="option" aria-selected={shown === frame.id}>
            <Checkbox
              size="small"
              sx={{ p: 0 }}
              checked={frame.included}
              slotProps={{ input: { "aria-label": `Use ${frame.name}` } }}
              onChange={(e) => void include(frame, e.target.checked)}
            />
            <button onClick={() => useView.setState({ frame: frame.id })}>
              {shutter(frame.seconds)} <span className="dim">ISO {frame.iso.toFixed(0)}</span>
            </button>
            <span className="dim">{percent(frame.clipped_share)} clipped</span>
          </div>
        ))}
      </div>
      {(waiting || dropped) && !merging && (
        <div className="stack" style={{ marginTop: 14 }}>
          <p className="dim">The choice of frames has changed.</p>
          <div>
            <Button
              variant="contained"
              onClick={() => void told(answered(api.POST("/api/scenes/{scene_id}/merge", { params: { path: { scene_id: scene.id } } })))}
            >
              Merge again
            </Button>
          </div>
        </div>
      )}
      {merging && (
        <div style={{ marginTop: 14 }}>
          <JobProgress job={merging} />
        </div>
      )}
      {current && <FrameFacts frame={current} />}
    </>
  );
}

function FrameFacts({ frame }: { frame: Frame }) {
  const report = useScene((s) => s.scene?.report)?.frames.find((f) => f.name === frame.name);
  return (
    <dl className="facts">
      <dt>File</dt>
      <dd>{frame.name}</dd>
      <dt>Exposure</dt>
      <dd>
        {shutter(frame.seconds)}
        {frame.aperture ? `, f/${frame.aperture}` : ""}, ISO {frame.iso.toFixed(0)}
      </dd>
      {report && (
        <>
          <dt>Measures well</dt>
          <dd>
            {number(report.noise_stop, 1, true)} to {number(report.clip_stop, 1, true)} EV
          </dd>
        </>
      )}
      <dt>Size</dt>
      <dd>
        {frame.width} × {frame.height} px
      </dd>
      <dt>Camera</dt>
      <dd>{frame.camera || "not told"}</dd>
      {frame.taken && (
        <>
          <dt>Taken</dt>
          <dd>{frame.taken.replace("T", " ").slice(0, 19)}</dd>
        </>
      )}
    </dl>
  );
}
