import { Button, Checkbox } from "@mui/material";
import { useState } from "react";

import type { Instructions, Report } from "../../api/client";
import { instruct } from "../../state/merging";
import { loadScene, useScene } from "../../state/scene";
import { shutter } from "../../units";
import { looksLikeDay } from "./day";
import { parseStops } from "./stops";

/** What the frames cannot tell of the light: a filter before the lens, and whether it was day. */
export function LightThere({ instructions, report }: { instructions: Instructions; report: Report }) {
  const id = useScene((s) => s.scene!.id);
  const tell = (told: Pick<Partial<Instructions>, "filter_stops" | "day">) =>
    void instruct((i) => ({ ...i, ...told })).then(() => loadScene(id));
  const asked = instructions.day === null && !instructions.filter_stops && looksLikeDay(report);
  return (
    <>
      <div className="group">Light there was</div>
      {asked && (
        <div className="stack">
          <p className="dim">
            {shutter(report.capture?.seconds ?? null)} at ISO {report.capture?.iso?.toFixed(0)} in what looks like day:
            was there a filter before the lens?
          </p>
          <div className="row">
            <Button size="small" onClick={() => tell({ filter_stops: 10, day: true })}>
              Ten stops
            </Button>
            <Button size="small" onClick={() => tell({ filter_stops: 6, day: true })}>
              Six stops
            </Button>
            <Button size="small" onClick={() => tell({ day: false })}>
              It was dark
            </Button>
          </div>
        </div>
      )}
      <label className="choice">
        <span>Filter before the lens</span>
        <StopsField
          key={instructions.filter_stops}
          stops={instructions.filter_stops ?? 0}
          store={(filter_stops) => tell({ filter_stops })}
        />
      </label>
      <label className="choice">
        <span>This was day</span>
        <Checkbox
          checked={instructions.day === true}
          slotProps={{ input: { "aria-label": "This was day" } }}
          onChange={(e) => tell({ day: e.target.checked })}
        />
      </label>
    </>
  );
}

/** Stops of a filter, typed as stops or as the factor that is engraved on it. */
function StopsField({ stops, store }: { stops: number; store: (stops: number) => void }) {
  const [text, setText] = useState(`${Number(stops.toFixed(2))} stops`);
  const keep = () => {
    const parsed = parseStops(text);
    if (parsed === null) setText(`${Number(stops.toFixed(2))} stops`);
    else if (parsed !== stops) store(parsed);
  };
  return (
    <input
      className="typed"
      aria-label="Filter before the lens"
      title="In stops, or as a factor: 10, 1000×, ND 3.0"
      value={text}
      onFocus={(e) => e.target.select()}
      onChange={(e) => setText(e.target.value)}
      onBlur={keep}
      onKeyDown={(e) => e.key === "Enter" && e.currentTarget.blur()}
    />
  );
}
