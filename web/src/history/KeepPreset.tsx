import { Button, Checkbox, TextField } from "@mui/material";
import { useState } from "react";

import { useSteps } from "../api/queries";
import { changed } from "../state/changes";
import { keepPreset } from "../state/presets";
import { useScene } from "../state/scene";

/** Keeps what was changed, as far as it is chosen, as a preset. */
export function KeepPreset() {
  const treatment = useScene((s) => s.treatment);
  const steps = useSteps().data ?? [];
  const [open, setOpen] = useState(false);
  const [name, setName] = useState("");
  const [left, setLeft] = useState<ReadonlySet<string>>(new Set());
  if (!treatment) return null;
  const own = steps.filter((step) => changed(step, treatment) > 0);
  // Geometry belongs to the scene: it is taken only if it is asked for.
  const key = (step: { name: string; station: string }) => left.has(step.name) === (step.station === "geometry");
  const chosen = own.filter(key).map((step) => step.name);
  const areas = treatment.areas.filter((area) => !left.has(area.id)).map((area) => area.id);
  const turn = (what: string) =>
    setLeft((before) => {
      const after = new Set(before);
      if (!after.delete(what)) after.add(what);
      return after;
    });
  if (!open)
    return (
      <div className="buttons">
        <Button size="small" variant="outlined" color="inherit" className="below" onClick={() => setOpen(true)}>
          Keep as a preset
        </Button>
      </div>
    );
  return (
    <section aria-label="Keep as a preset" className="stack fields">
      <div className="group">
        <h3>Keep as a preset</h3>
      </div>
      {own.length === 0 && areas.length === 0 && treatment.areas.length === 0 && (
        <p className="dim">Nothing was changed yet.</p>
      )}
      <div>
        {own.map((step) => (
          <label key={step.name} className="choice">
            <span>{step.title}</span>
            <Checkbox
              color="default"
              checked={key(step)}
              onChange={() => turn(step.name)}
              slotProps={{ input: { "aria-label": `Take ${step.title}` } }}
            />
          </label>
        ))}
        {treatment.areas.map((area) => (
          <label key={area.id} className="choice">
            <span>Area: {area.name}</span>
            <Checkbox
              color="default"
              checked={!left.has(area.id)}
              onChange={() => turn(area.id)}
              slotProps={{ input: { "aria-label": `Take ${area.name}` } }}
            />
          </label>
        ))}
      </div>
      <TextField
        size="small"
        label="Name of the preset"
        value={name}
        onChange={(e) => setName(e.target.value)}
        slotProps={{ htmlInput: { maxLength: 60 } }}
        onKeyDown={(e) => e.stopPropagation()}
      />
      <div className="buttons">
        <Button
          size="small"
          variant="contained"
          disabled={!name.trim() || (chosen.length === 0 && areas.length === 0)}
          onClick={() =>
            void keepPreset(name.trim(), chosen, areas).then((kept) => {
              if (!kept) return;
              setOpen(false);
              setName("");
            })
          }
        >
          Keep
        </Button>
        <Button size="small" color="inherit" onClick={() => setOpen(false)}>
          Not now
        </Button>
      </div>
    </section>
  );
}
