import { Button, MenuItem, Select, Slider } from "@mui/material";

import type { Stroke } from "../../api/client";
import { instruct, useBrush, useInstructions } from "../../state/merging";
import { useView } from "../../state/view";

interface Props {
  kinds: { kind: Stroke["kind"]; title: string; help: string }[];
  frames?: { name: string; title: string }[];
}

/** The brush of the Merge station: what a stroke says, from which frame, how wide. */
export function BrushTool({ kinds, frames }: Props) {
  const tool = useView((s) => s.tool);
  const brush = useBrush();
  const on = (kind: Stroke["kind"]) => tool === "brush" && brush.kind === kind;
  const active = tool === "brush" ? kinds.find((k) => k.kind === brush.kind) : undefined;
  return (
    <div className="brush">
      <div className="segment" role="group" aria-label="Brush">
        {kinds.map((k) => (
          <button
            key={k.kind}
            aria-pressed={on(k.kind)}
            onClick={() => {
              useBrush.setState({ kind: k.kind });
              useView.setState({ tool: on(k.kind) ? "pan" : "brush" });
            }}
          >
            {k.title}
          </button>
        ))}
      </div>
      {active && (
        <>
          <p className="dim">{active.help}</p>
          {active.kind === "moved" && frames && (
            <Select
              size="small"
              variant="standard"
              fullWidth
              displayEmpty
              value={brush.frame ?? ""}
              inputProps={{ "aria-label": "Frame painted in" }}
              onChange={(e) => useBrush.setState({ frame: e.target.value || null })}
            >
              <MenuItem value="">The best frame there</MenuItem>
              {frames.map((f) => (
                <MenuItem key={f.name} value={f.name}>
                  {f.title}
                </MenuItem>
              ))}
            </Select>
          )}
          <label className="wide">
            <span>Width, % of the picture</span>
            <Slider
              size="small"
              min={0.2}
              max={40}
              step={0.1}
              value={brush.radius * 200}
              aria-label="Width of the brush, % of the picture"
              onChange={(_, v) => useBrush.setState({ radius: v / 200 })}
            />
          </label>
        </>
      )}
    </div>
  );
}

/** Strokes painted so far, with ways to take them back. */
export function StrokeList({ kinds }: { kinds: Stroke["kind"][] }) {
  const strokes = useInstructions()?.strokes ?? [];
  const own = strokes.filter((s) => kinds.includes(s.kind)).length;
  if (own === 0) return null;
  const without = (last: boolean) =>
    void instruct((i) => {
      const all = i.strokes ?? [];
      const index = all.map((s) => kinds.includes(s.kind)).lastIndexOf(true);
      return { ...i, strokes: last ? all.filter((_, n) => n !== index) : all.filter((s) => !kinds.includes(s.kind)) };
    });
  return (
    <p className="dim row">
      <span className="rest">{own === 1 ? "One stroke" : `${own} strokes`}, merged in next</span>
      <Button size="small" color="inherit" onClick={() => without(true)}>
        Take back
      </Button>
      {own > 1 && (
        <Button size="small" color="inherit" onClick={() => without(false)}>
          All
        </Button>
      )}
    </p>
  );
}
