import { Checkbox, IconButton } from "@mui/material";

import type { Area } from "../../api/client";
import { useSteps } from "../../api/queries";
import { contour } from "../../picture/shapes";
import { path } from "../../picture/lay";
import { removeArea, useAreas } from "../../state/areas";
import { preview, store, useScene } from "../../state/scene";
import { withValue } from "../../state/values";
import { useView } from "../../state/view";
import { bendable, summary } from "./bends";

/** All areas: each by the outline of its mask, and the dials that it bends. */
export function AreaList() {
  const areas = useScene((s) => s.treatment?.areas) ?? [];
  const selected = useAreas((s) => s.selected);
  const treatment = useScene((s) => s.treatment);
  const dials = bendable(useSteps().data ?? [], treatment);
  return (
    <div className="areas" role="listbox" aria-label="Areas">
      {areas.map((area, i) => (
        <div key={i} className={area.on ? "area" : "area off"} role="option" aria-selected={selected === i}>
          <Checkbox
            color="default"
            checked={area.on}
            slotProps={{ input: { "aria-label": `Use ${area.name}` } }}
            onChange={(e) => {
              preview((t) => withValue(t, ["areas", i, "on"], e.target.checked));
              store(`${area.name} ${e.target.checked ? "on" : "off"}`);
            }}
          />
          <button onClick={() => useAreas.setState({ selected: selected === i ? null : i, joins: false })}>
            <Outline area={area} />
            <span>
              {area.name} <span className="dim">{summary(area, dials)}</span>
            </span>
          </button>
          <IconButton size="small" aria-label={`Take ${area.name} away`} onClick={() => removeArea(i)}>
            ×
          </IconButton>
        </div>
      ))}
    </div>
  );
}

/** The half contours of an area's shapes, in the frame of the scene. */
function Outline({ area }: { area: Area }) {
  const scene = useView((s) => s.map?.scene) ?? [1, 2 / 3];
  const [width, height] = [34, (34 * scene[1]) / scene[0]];
  return (
    <svg className="outline" width={width} height={height} viewBox={`0 0 ${scene[0]} ${scene[1]}`} aria-hidden>
      {area.parts.map((part, i) => (
        // Drawn in thousandths, as path writes one decimal.
        <path key={i} transform="scale(0.001)" d={path(contour(part, 0.5).map(([x, y]) => [x * 1000, y * 1000]), part.kind === "ellipse")} />
      ))}
    </svg>
  );
}
