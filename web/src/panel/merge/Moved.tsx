import { Button, MenuItem, Select } from "@mui/material";
import { useState } from "react";

import type { Region, Report } from "../../api/client";
import { instruct, useInstructions } from "../../state/merging";
import { useScene } from "../../state/scene";
import { setView, useView } from "../../state/view";
import { percent, shutter } from "../../units";
import { BrushTool, StrokeList } from "./BrushTool";

/** So many regions have a row of their own at once, if they are at least this share of the picture. */
const MOST = 6;
const SMALL = 0.0005;

/** What moved: the regions, the frame each comes from, and the brush to say otherwise. */
export function Moved({ report }: { report: Report }) {
  const view = useView((s) => s.view);
  const id = useScene((s) => s.scene?.id ?? 0);
  const [all, setAll] = useState(false);
  // The large ones first; small ones are one row until they are asked for.
  const sorted = [...(report.regions ?? [])].sort((a, b) => b.width * b.height - a.width * a.height);
  const large = sorted.filter((r, i) => i < MOST && r.width * r.height >= SMALL);
  const small = sorted.length - large.length;
  return (
    <>
      <div className="group">What moved</div>
      {report.moved_share === 0 ? (
        <p className="dim">Nothing moved between the frames.</p>
      ) : (
        <>
          <p className="dim">
            {percent(report.moved_share ?? 0)} of the picture, in{" "}
            {(report.regions ?? []).length >= 40
              ? "40 regions or more"
              : (report.regions ?? []).length === 1
                ? "one region"
                : `${(report.regions ?? []).length} regions`}
            . Each comes from one frame.
          </p>
          <button className="link" aria-pressed={view === "moved"} onClick={() => setView("moved")}>
            {view === "moved" ? "Show the picture" : "Show what moved"}
          </button>
          <div className="regions">
            {(all ? sorted : large).map((r) => (
              <RegionRow key={`${r.x} ${r.y}`} scene={id} region={r} report={report} />
            ))}
            {small > 0 && (
              <button className="link" aria-expanded={all} onClick={() => setAll(!all)}>
                {all ? "Large ones alone" : `${small} small ${small === 1 ? "one" : "ones"}`}
              </button>
            )}
          </div>
        </>
      )}
      <BrushTool
        kinds={[
          { kind: "moved", title: "From one frame", help: "Paint what moved: it will come from one frame." },
          { kind: "still", title: "From all frames", help: "Paint what did not move: all frames will count there." },
        ]}
        frames={report.frames.map((f) => ({ name: f.name, title: `${shutter(f.seconds)}, ${f.name}` }))}
      />
      <StrokeList kinds={["moved", "still"]} />
    </>
  );
}

/** Where in the picture something is, in words. */
export function whereIs(x: number, y: number): string {
  const across = x < 1 / 3 ? "left" : x > 2 / 3 ? "right" : "";
  const down = y < 1 / 3 ? "upper" : y > 2 / 3 ? "lower" : "";
  if (!across && !down) return "in the middle";
  if (!across) return down === "upper" ? "above the middle" : "below the middle";
  return down ? `${down} ${across}` : `on the ${across}`;
}

function RegionRow({ scene: id, region, report }: { scene: number; region: Region; report: Report }) {
  const instructions = useInstructions();
  const scene = useScene((s) => s.scene);
  const x = region.x + region.width / 2;
  const y = region.y + region.height / 2;
  const near = (c: { x: number; y: number }) =>
    c.x >= region.x && c.x <= region.x + region.width && c.y >= region.y && c.y <= region.y + region.height;
  const chosen = instructions?.choices?.find(near)?.frame ?? "";
  return (
    <div className="region">
      <Button
        size="small"
        color="inherit"
        title="Show it"
        onClick={() => {
          const { map } = useView.getState();
          if (!map || !scene?.width) return;
          const centre = map.toPlane([x * map.scene[0], y * map.scene[1]]);
          useView.setState({ zoom: Math.min(1, 500 / (region.width * scene.width + 200)), centre, view: "moved" });
        }}
      >
        <img
          alt=""
          loading="lazy"
          src={`/api/scenes/${id}/part.jpg?x=${region.x}&y=${region.y}&width=${region.width}&height=${region.height}&side=96`}
        />
        {region.soft ? "Water or leaves" : "Something"} {whereIs(x, y)}
      </Button>
      <Select
        size="small"
        variant="standard"
        value={chosen}
        displayEmpty
        inputProps={{ "aria-label": "Frame of this region" }}
        onChange={(e) =>
          void instruct((i) => ({
            ...i,
            choices: [
              ...(i.choices ?? []).filter((c) => !near(c)),
              ...(e.target.value ? [{ x, y, frame: e.target.value }] : []),
            ],
          }))
        }
      >
        <MenuItem value="">
          <span className="dim">{shutter(report.frames.find((f) => f.name === region.frame)?.seconds)}, found</span>
        </MenuItem>
        {report.frames.map((f) => (
          <MenuItem key={f.name} value={f.name}>
            {shutter(f.seconds)}
          </MenuItem>
        ))}
      </Select>
    </div>
  );
}
