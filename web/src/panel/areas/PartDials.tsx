import { Button } from "@mui/material";

import type { Brush, ColourRange, Part } from "../../api/client";
import { useKinds } from "../../api/queries";
import { setPart, useAreas } from "../../state/areas";
import { store } from "../../state/scene";
import { useView } from "../../state/view";
import { Dial } from "../Dial";

/** The dials of a part, and what else it has. Its mask is seen while they are held. */
export function PartDials({ area, part }: { area: string; part: Part }) {
  const dials = useKinds().data?.parts[part.kind] ?? [];
  return (
    <div className="inset part-dials">
      {part.kind === "brush" && <Strokes area={area} part={part} />}
      {part.kind === "colour" && <Picks area={area} part={part} />}
      {part.kind === "light" && <p className="dim">Its ends stand on the ladder.</p>}
      {dials.map((dial) => (
        <Dial key={dial.name} dial={{ ...dial, shows: "area" }} path={["areas", area, "parts", part.id, dial.name]} />
      ))}
    </div>
  );
}

function Strokes({ area, part }: { area: string; part: Brush }) {
  const paints = useView((s) => s.tool === "paint");
  return (
    <div className="row">
      <span className="dim rest">
        {part.strokes.length} {part.strokes.length === 1 ? "stroke" : "strokes"}
      </span>
      <Button
        size="small"
        color={paints ? "primary" : "inherit"}
        onClick={() => useView.setState({ tool: paints ? "pan" : "paint" })}
      >
        Paint on
      </Button>
      <Button
        size="small"
        color="inherit"
        disabled={part.strokes.length < 2}
        onClick={() => {
          setPart(area, part.id, { ...part, strokes: part.strokes.slice(0, -1) });
          useAreas.setState({ seeing: true });
          store("The last stroke away");
        }}
      >
        Last away
      </Button>
    </div>
  );
}

function Picks({ area, part }: { area: string; part: ColourRange }) {
  const picks = useView((s) => s.tool === "colourPicker");
  const without = (i: number) => {
    setPart(area, part.id, { ...part, picks: part.picks.filter((_, k) => k !== i) });
    useAreas.setState({ seeing: true });
    store("A colour away");
  };
  return (
    <div className="row">
      <span className="rest">
        {part.picks.map((pick, i) => (
          <button
            key={i}
            className="swatch"
            aria-label={`Take colour ${i + 1} away`}
            title="Take it away"
            disabled={part.picks.length < 2}
            style={{ background: `oklab(0.65 ${pick.a * 0.65} ${pick.b * 0.65})` }}
            onClick={() => without(i)}
          />
        ))}
      </span>
      <Button
        size="small"
        color={picks ? "primary" : "inherit"}
        onClick={() => useView.setState({ tool: picks ? "pan" : "colourPicker" })}
      >
        Pick more
      </Button>
    </div>
  );
}
