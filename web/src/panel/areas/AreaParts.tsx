import { Button, Checkbox, IconButton, MenuItem, Select } from "@mui/material";

import type { Area, Part } from "../../api/client";
import type { ToolName } from "../../names";
import { MOST, removePart, setPart, useAreas } from "../../state/areas";
import { store } from "../../state/scene";
import { useView } from "../../state/view";

const MODES: Record<Part["mode"], string> = { add: "and", subtract: "without", intersect: "only within" };

/** The shapes that an area's mask is made of, and how they go together. */
export function AreaParts({ index, area }: { index: number; area: Area }) {
  const tool = useView((s) => s.tool);
  const joins = useAreas((s) => s.joins);
  const change = (i: number, part: Part) => {
    setPart(index, i, part);
    store(`Shapes of ${area.name}`);
  };
  const take = (next: ToolName) => {
    useAreas.setState({ joins: true });
    useView.setState({ tool: next });
  };
  return (
    <section aria-label="Shapes">
      <h3 className="group">Shapes</h3>
      {area.parts.map((part, i) => (
        <div key={i} className="part">
          {i === 0 ? (
            <span className="dim">within</span>
          ) : (
            <Select size="small" variant="standard" value={part.mode} inputProps={{ "aria-label": `How shape ${i + 1} joins` }} onChange={(e) => change(i, { ...part, mode: e.target.value })}>
              {Object.entries(MODES).map(([mode, title]) => (
                <MenuItem key={mode} value={mode}>
                  {title}
                </MenuItem>
              ))}
            </Select>
          )}
          <span className="rest">{part.kind === "gradient" ? "gradient" : "ellipse"}</span>
          <label>
            <Checkbox color="default" checked={part.invert} onChange={(e) => change(i, { ...part, invert: e.target.checked })} slotProps={{ input: { "aria-label": `Outside of shape ${i + 1}` } }} />
            outside
          </label>
          {area.parts.length > 1 && (
            <IconButton size="small" aria-label={`Take shape ${i + 1} away`} onClick={() => removePart(index, i)}>
              ×
            </IconButton>
          )}
        </div>
      ))}
      {area.parts.length < MOST && (
        <div className="row">
          {(["gradient", "ellipse"] as const).map((kind) => (
            <Button key={kind} size="small" color={joins && tool === kind ? "primary" : "inherit"} onClick={() => take(kind)}>
              + {kind}
            </Button>
          ))}
        </div>
      )}
    </section>
  );
}
