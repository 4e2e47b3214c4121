import { Checkbox, MenuItem, TextField } from "@mui/material";

import type { Delivery } from "../api/client";

export type Border = NonNullable<Delivery["border"]>;

const SHADES: Record<Border["shade"], string> = { white: "White", grey: "Grey", black: "Black" };
const USUAL: Border = { width: 3, shade: "white", caption: "" };

/** What goes round the picture that is delivered, if anything does. */
export function BorderFields({ border, set }: { border: Border | null; set: (border: Border | null) => void }) {
  return (
    <>
      <label className="choice" title="A border round the picture, with a line of caption if wanted">
        <span>Border</span>
        <Checkbox
          color="default"
          checked={border !== null}
          onChange={(e) => set(e.target.checked ? USUAL : null)}
          slotProps={{ input: { "aria-label": "Border" } }}
        />
      </label>
      {border && (
        <>
          <TextField
            size="small"
            type="number"
            label="Border in % of the long edge"
            value={border.width}
            onChange={(e) => set({ ...border, width: Math.min(25, Math.max(0, Number(e.target.value) || 0)) })}
            slotProps={{ htmlInput: { min: 0, max: 25, step: 0.5 } }}
          />
          <TextField
            select
            size="small"
            label="Shade"
            value={border.shade}
            onChange={(e) => set({ ...border, shade: e.target.value as Border["shade"] })}
          >
            {Object.entries(SHADES).map(([value, title]) => (
              <MenuItem key={value} value={value}>
                {title}
              </MenuItem>
            ))}
          </TextField>
          <TextField
            size="small"
            label="Caption"
            placeholder="none"
            value={border.caption}
            onChange={(e) => set({ ...border, caption: e.target.value })}
            slotProps={{ inputLabel: { shrink: true }, htmlInput: { maxLength: 200 } }}
          />
        </>
      )}
    </>
  );
}
