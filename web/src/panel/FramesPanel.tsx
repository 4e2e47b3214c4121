import { Button, Checkbox } from "@mui/material";
import { useState } from "react";

import { answered, api, type Frame } from "../api/client";
import { useMerging } from "../api/news";
import { told } from "../state/messages";
import { mergeAgain, useInstructions } from "../state/merging";
import { loadScene, useScene } from "../state/scene";
import { useView } from "../state/view";
import { percent, shutter } from "../units";
import { rangeUpTo } from "./frames/range";
import { FrameFacts } from "./frames/FrameFacts";
import { LightThere } from "./frames/LightThere";
import { Together } from "./frames/Together";
import { JobProgress } from "./JobProgress";

const KINDS: Record<Frame["kind"], string> = { light: "", dark: "dark", flat: "flat", bias: "bias" };

/** What a scene's frames are together, in words. */
function together(frames: Frame[]): string {
  const lights = frames.filter((f) => f.kind === "light");
  const other = frames.length - lights.length;
  const steps = new Set(lights.map((f) => (f.sensitivity ? Math.round(Math.log2(f.sensitivity) * 3) : null)));
  const text =
    lights.length === 1
      ? "One frame"
      : steps.size === 1
        ? `${lights.length} equal frames, a stack`
        : steps.size < lights.length
          ? `${lights.length} frames of ${steps.size} exposures`
          : `A bracket of ${lights.length} frames`;
  return `${text}${other ? ` and ${other} for calibration` : ""}. Look through with the arrow keys.`;
}

/** The Frames station: look from dark to bright, leave a bad frame out, say which belong together. */
export default function FramesPanel() {
  const scene = useScene((s) => s.scene)!;
  const instructions = useInstructions();
  const shown = useView((s) => s.frame);
  const [picked, setPicked] = useState<number[]>([]);
  const merging = useMerging(scene.id);
  const report = scene.report;
  const merged = new Set(report?.frames.map((f) => f.name));
  const told_of = [...(report?.set_aside ?? []), ...(report?.calibration ?? [])];
  const lights = scene.frames.filter((f) => f.kind === "light");
  const waiting =
    lights.filter((f) => f.included).some((f) => !merged.has(f.name) && !told_of.some((t) => t.startsWith(f.name))) &&
    !report?.warnings.some((w) => w.includes("stands for"));
  const dropped = scene.frames.filter((f) => !f.included || f.kind !== "light").some((f) => merged.has(f.name));
  const current = scene.frames.find((f) => f.id === shown);

  const include = (frame: Frame, included: boolean) =>
    told(
      answered(
        api.PATCH("/api/frames/{frame_id}", { params: { path: { frame_id: frame.id } }, body: { included } }),
      ).then(() => loadScene(scene.id)),
    );
  const pick = (id: number, more: boolean, upTo: boolean) => {
    useView.setState({ frame: id });
    setPicked((p) =>
      upTo && p.length > 0
        ? rangeUpTo(
            scene.frames.map((f) => f.id),
            p,
            id,
          )
        : more
          ? p.includes(id)
            ? p.filter((v) => v !== id)
            : [...p, id]
          : [id],
    );
  };

  return (
    <>
      <h2>Frames</h2>
      <p className="lead">{together(scene.frames)}</p>
      <div className="frames-list" role="group" aria-label="Frames">
        {scene.frames.map((frame) => (
          <div key={frame.id} className={picked.includes(frame.id) || shown === frame.id ? "frame selected" : "frame"}>
            <Checkbox
              checked={frame.included}
              slotProps={{ input: { "aria-label": `Use ${frame.name}` } }}
              onChange={(e) => void include(frame, e.target.checked)}
            />
            <button
              title={`${frame.name}; with Ctrl to take several, with Shift all up to it`}
              aria-pressed={picked.includes(frame.id) || shown === frame.id}
              onClick={(e) => pick(frame.id, e.ctrlKey || e.metaKey, e.shiftKey)}
            >
              {shutter(frame.seconds)} <span className="dim">ISO {frame.iso.toFixed(0)}</span>
            </button>
            <span className="dim">
              {KINDS[frame.kind] ||
                (instructions?.reference === frame.name ? "reference" : `${percent(frame.clipped_share)} clipped`)}
            </span>
          </div>
        ))}
      </div>
      {(waiting || dropped) && !merging && report && (
        <div className="stack spaced">
          <p className="dim">The choice of frames has changed.</p>
          <div>
            <Button variant="contained" onClick={mergeAgain}>
              Merge again
            </Button>
          </div>
        </div>
      )}
      {merging && (
        <div className="spaced">
          <JobProgress job={merging} />
        </div>
      )}
      {current && <FrameFacts frame={current} />}
      {report && instructions && <LightThere instructions={instructions} report={report} />}
      <Together picked={picked.filter((id) => scene.frames.some((f) => f.id === id))} done={() => setPicked([])} />
    </>
  );
}
