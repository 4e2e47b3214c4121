import { Button, TextField } from "@mui/material";
import { useState } from "react";

import { keepPreset } from "../state/presets";
import { useScene } from "../state/scene";
import { Choose, ChooseSteps, useChosenSteps } from "./ChooseSteps";

/** Keeps what was changed, as far as it is chosen, as a preset. */
export function KeepPreset() {
  const areas = useScene((s) => s.treatment?.areas) ?? [];
  const [open, setOpen] = useState(false);
  const [name, setName] = useState("");
  const chosen = useChosenSteps();
  const taken = areas.filter((area) => !chosen.turned.has(area.id)).map((area) => area.id);
  if (!open)
    return (
      <div className="buttons">
        <Button size="small" variant="outlined" color="inherit" className="below" onClick={() => setOpen(true)}>
          Keep as a preset
        </Button>
      </div>
    );
  const keep = async () => {
    if (!(await keepPreset(name.trim(), chosen.steps, taken))) return;
    setOpen(false);
    setName("");
  };
  return (
    <section aria-label="Keep as a preset" className="stack fields">
      <div className="group">
        <h3>Keep as a preset</h3>
      </div>
      {chosen.own.length === 0 && areas.length === 0 && <p className="dim">Nothing was changed yet.</p>}
      <div>
        <ChooseSteps chosen={chosen} />
        {areas.map((area) => (
          <Choose
            key={area.id}
            title={`Area: ${area.name}`}
            checked={!chosen.turned.has(area.id)}
            turn={() => chosen.turn(area.id)}
          />
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
          disabled={!name.trim() || (chosen.steps.length === 0 && taken.length === 0)}
          onClick={() => void keep()}
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
