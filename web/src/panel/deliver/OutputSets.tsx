import { Button, MenuItem, TextField } from "@mui/material";
import { useState } from "react";

import { useOutputSets } from "../../api/queries";
import { forgetSet, keepSet, takeSet, useOutputs } from "../../state/delivering";

/** Outputs that are delivered together, kept by a name. */
export function OutputSets() {
  const sets = useOutputSets().data ?? [];
  const set = useOutputs((s) => s.set);
  const [name, setName] = useState<string | null>(null);
  const chosen = sets.find((one) => one.name === set);
  const keep = () => {
    if (name?.trim()) void keepSet(name.trim()).then(() => setName(null));
  };
  return (
    <>
      <TextField
        select
        size="small"
        label="Set"
        value={chosen?.name ?? ""}
        onChange={(e) => {
          const next = sets.find((one) => one.name === e.target.value);
          if (next) takeSet(next);
        }}
        slotProps={{ inputLabel: { shrink: true }, select: { displayEmpty: true } }}
      >
        <MenuItem value="" disabled>
          As set below
        </MenuItem>
        {sets.map((one) => (
          <MenuItem key={one.name} value={one.name}>
            {one.name}
          </MenuItem>
        ))}
      </TextField>
      {name === null ? (
        <div className="buttons">
          {!chosen && (
            <Button size="small" color="inherit" onClick={() => setName("")}>
              Keep as a set
            </Button>
          )}
          {chosen?.own && (
            <Button size="small" color="inherit" onClick={() => void forgetSet(chosen.name)}>
              Forget this set
            </Button>
          )}
        </div>
      ) : (
        <div className="row">
          <input
            className="typed name rest"
            aria-label="Name of the set"
            autoFocus
            maxLength={60}
            value={name}
            onChange={(e) => setName(e.target.value)}
            onKeyDown={(e) => {
              e.stopPropagation();
              if (e.key === "Enter") keep();
              if (e.key === "Escape") setName(null);
            }}
          />
          <Button size="small" color="inherit" disabled={!name.trim()} onClick={keep}>
            Keep
          </Button>
        </div>
      )}
    </>
  );
}
