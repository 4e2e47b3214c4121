import { Checkbox, IconButton, MenuItem, Select } from "@mui/material";

import type { Area, Part } from "../../api/client";
import { removePart, setPart, useAreas } from "../../state/areas";
import { calls } from "../../state/parts";
import { store } from "../../state/scene";
import { PartDials } from "./PartDials";

const MODES: Record<Part["mode"], string> = { add: "and", subtract: "without", intersect: "only within" };

/** The parts that an area's mask is made of, and how they go together; one's own dials stand under it. */
export function AreaParts({ area }: { area: Area }) {
  const chosen = useAreas((s) => s.part);
  const pointed = useAreas((s) => s.pointed);
  const change = (part: Part) => {
    setPart(area.id, part.id, part);
    useAreas.setState({ seeing: true });
    store(`Mask of ${area.name}`);
  };
  return (
    <section aria-label="Its mask">
      <h3 className="group">Its mask</h3>
      {area.parts.map((part, i) => (
        <div key={part.id} className={pointed === part.id ? "lit" : ""}>
          <div
            className={part.on ? "part" : "part off"}
            onPointerEnter={() => useAreas.setState({ pointed: part.id })}
            onPointerLeave={() => useAreas.setState({ pointed: null })}
          >
            <Checkbox
              color="default"
              checked={part.on}
              onChange={(e) => change({ ...part, on: e.target.checked })}
              slotProps={{ input: { "aria-label": `Use part ${i + 1}` } }}
            />
            <Select
              size="small"
              variant="standard"
              value={part.mode}
              inputProps={{ "aria-label": `How part ${i + 1} joins` }}
              onChange={(e) => change({ ...part, mode: e.target.value })}
            >
              {Object.entries(MODES).map(([mode, title]) => (
                <MenuItem key={mode} value={mode}>
                  {i === 0
                    ? { add: "within", subtract: "all without", intersect: "within" }[mode as Part["mode"]]
                    : title}
                </MenuItem>
              ))}
            </Select>
            <button
              className="rest plain"
              aria-expanded={chosen === part.id}
              onClick={() => useAreas.setState({ part: chosen === part.id ? null : part.id })}
            >
              {calls(part)}
            </button>
            <label>
              <Checkbox
                color="default"
                checked={part.invert}
                onChange={(e) => change({ ...part, invert: e.target.checked })}
                slotProps={{ input: { "aria-label": `Outside of part ${i + 1}` } }}
              />
              outside
            </label>
            <IconButton
              size="small"
              disabled={area.parts.length < 2}
              aria-label={`Take part ${i + 1} away`}
              onClick={() => removePart(area, part.id)}
            >
              ×
            </IconButton>
          </div>
          {chosen === part.id && <PartDials area={area.id} part={part} />}
        </div>
      ))}
    </section>
  );
}
