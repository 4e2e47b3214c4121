import { Checkbox, MenuItem, Select } from "@mui/material";

import type { Choice, Toggle } from "../../api/client";
import { preview, store, useScene } from "../../state/scene";
import { valueAt, withValue } from "../../state/values";

function useValue(p: Choice | Toggle) {
  const value = useScene((s) => (s.treatment ? valueAt(s.treatment, [p.step, p.name]) : p.default));
  const set = (next: unknown) => {
    preview((t) => withValue(t, [p.step, p.name], next));
    store(p.title);
  };
  return [value, set] as const;
}

/** A parameter that is one of several. */
export function ChoiceControl({ choice: p }: { choice: Choice }) {
  const [value, set] = useValue(p);
  return (
    <div className="choice" title={p.help}>
      <span>{p.title}</span>
      <Select
        size="small"
        variant="standard"
        value={value as string}
        inputProps={{ "aria-label": p.title }}
        onChange={(e) => set(e.target.value)}
      >
        {Object.entries(p.names).map(([name, title]) => (
          <MenuItem key={name} value={name}>
            {title}
          </MenuItem>
        ))}
      </Select>
    </div>
  );
}

/** A parameter that is on or off. */
export function ToggleControl({ toggle: p }: { toggle: Toggle }) {
  const [value, set] = useValue(p);
  return (
    <label className="choice" title={p.help}>
      <span>{p.title}</span>
      <Checkbox
        color="default"
        checked={value as boolean}
        onChange={(e) => set(e.target.checked)}
        slotProps={{ input: { "aria-label": p.title } }}
      />
    </label>
  );
}
