import { MenuItem, Select } from "@mui/material";
import { useEffect, useState } from "react";

import { answered, api, type Frame } from "../../api/client";
import { told } from "../../state/messages";
import { instruct, useInstructions } from "../../state/merging";
import { loadScene, useScene } from "../../state/scene";
import { number, shutter } from "../../units";
import { parseSeconds } from "./seconds";

/** One frame: what its file tells, what it is for, and whether it is the reference. */
export function FrameFacts({ frame }: { frame: Frame }) {
  const report = useScene((s) => s.scene?.report)?.frames.find((f) => f.name === frame.name);
  const scene = useScene((s) => s.scene)!;
  const instructions = useInstructions();
  const change = (body: { kind?: Frame["kind"]; seconds?: number }) =>
    told(
      answered(api.PATCH("/api/frames/{frame_id}", { params: { path: { frame_id: frame.id } }, body })).then(() =>
        loadScene(scene.id),
      ),
    );
  const reference = instructions?.reference === frame.name;
  return (
    <>
      <div className="group">This frame</div>
      <dl className="facts">
        <dt>File</dt>
        <dd className="path">{frame.name}</dd>
        <dt>Time</dt>
        <dd>
          <TimeField frame={frame} store={(seconds) => void change({ seconds })} />
        </dd>
        <dt>Aperture</dt>
        <dd>
          {frame.aperture ? `f/${Number(frame.aperture.toFixed(1))}` : "not told"}, ISO {frame.iso.toFixed(0)}
        </dd>
        {report && (
          <>
            <dt>Measures</dt>
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
      <label className="choice">
        <span>This frame is</span>
        <Select
          size="small"
          variant="standard"
          value={frame.kind}
          inputProps={{ "aria-label": "This frame is" }}
          onChange={(e) => void change({ kind: e.target.value })}
        >
          <MenuItem value="light">a picture</MenuItem>
          <MenuItem value="dark">a dark frame</MenuItem>
          <MenuItem value="flat">a flat frame</MenuItem>
          <MenuItem value="bias">a bias frame</MenuItem>
        </Select>
      </label>
      {frame.kind === "light" && scene.frames.length > 1 && (
        <button
          className="link"
          aria-pressed={reference}
          onClick={() => void instruct((i) => ({ ...i, reference: reference ? null : frame.name }))}
        >
          {reference ? "Let Crenn choose the reference frame" : "Make it the reference frame"}
        </button>
      )}
    </>
  );
}

function TimeField({ frame, store }: { frame: Frame; store: (seconds: number) => void }) {
  const [text, setText] = useState("");
  const [wrong, setWrong] = useState(false);
  const shown = frame.seconds ? shutter(frame.seconds) : "";
  useEffect(() => {
    setText(shown);
    setWrong(false);
  }, [shown, frame.id]);
  const finish = () => {
    if (text === shown) return;
    const seconds = parseSeconds(text);
    setWrong(seconds === null);
    if (seconds !== null) store(seconds);
  };
  return (
    <input
      className={wrong ? "typed wrong" : "typed"}
      value={text}
      placeholder="type it in"
      aria-label="Exposure time"
      aria-invalid={wrong}
      title={
        wrong
          ? "Write it like 1/60 or 2.5"
          : frame.time_typed
            ? "Typed in"
            : "As the file tells; type another if it is wrong"
      }
      onChange={(e) => setText(e.target.value)}
      onBlur={finish}
      onKeyDown={(e) => e.key === "Enter" && finish()}
    />
  );
}
