import { Button, MenuItem, Select } from "@mui/material";

import type { Region, Report } from "../../api/client";
import { instruct, useInstructions } from "../../state/merging";
import { useScene } from "../../state/scene";
import { setView, useView } from "../../state/view";
import { percent, shutter } from "../../units";
import { BrushTool, StrokeList } from "./BrushTool";

/** What moved: the regions, the frame each comes from, and the brush to say otherwise. */
export function Moved({ report }: { report: Report }) {
  const view = useView((s) => s.view);
  const regions = (report.regions ?? []).slice(0, 6);
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
            {regions.map((r) => (
              <RegionRow key={`${r.x} ${r.y}`} region={r} report={report} />
            ))}
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

function RegionRow({ region, report }: { region: Region; report: Report }) {
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
        {region.soft ? "Water or leaves" : "Thing"}, {Math.max(1, Math.round(region.width * (scene?.width ?? 0)))} ×{" "}
        {Math.max(1, Math.round(region.height * (scene?.height ?? 0)))} px
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
