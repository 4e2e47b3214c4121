import { MenuItem, Select } from "@mui/material";

import { preview, store, useScene } from "../../state/scene";

/** Kinds of light, from the warmest on, with their correlated colour temperature in K and their tint in ‰ Duv. */
export const KINDS = [
  { title: "Sodium lamps", temperature: 2050, tint: 0 },
  { title: "Tungsten", temperature: 2850, tint: 0 },
  { title: "LED street light, warm", temperature: 3000, tint: 0 },
  { title: "LED street light, cold", temperature: 4000, tint: 0 },
  { title: "Moonlight", temperature: 4150, tint: 0 },
  { title: "Moonless sky", temperature: 4400, tint: 6 },
  { title: "Daylight", temperature: 5500, tint: 0 },
  { title: "Shade", temperature: 7500, tint: 0 },
  { title: "Blue hour", temperature: 9500, tint: 0 },
];
const AS_SHOT = "as-shot";
const OWN = "own";

/** Sets the white balance by the kind of light, or back to as shot. */
export function KindOfLight() {
  const white = useScene((s) => s.treatment?.white_balance);
  if (!white) return null;
  const plain = !white.red && !white.blue;
  const kind = plain ? KINDS.findIndex((k) => k.temperature === white.temperature && k.tint === white.tint) : -1;
  const value = plain && white.temperature === null && white.tint === null ? AS_SHOT : kind < 0 ? OWN : `${kind}`;
  const choose = (chosen: string) => {
    if (chosen === OWN) return;
    const one = chosen === AS_SHOT ? { title: "As shot", temperature: null, tint: null } : KINDS[Number(chosen)];
    const { temperature, tint } = one;
    preview((t) => ({ ...t, white_balance: { ...t.white_balance, temperature, tint, red: 0, blue: 0 } }));
    store(`White balance: ${one.title}`);
  };
  return (
    <Select
      size="small"
      variant="standard"
      className="in-heading"
      title="Kind of light: sets temperature and tint to what such light usually has"
      value={value}
      renderValue={(v) => (v === AS_SHOT ? "As shot" : v === OWN ? "By hand" : KINDS[Number(v)].title)}
      inputProps={{ "aria-label": "Kind of light" }}
      onChange={(e) => choose(e.target.value)}
    >
      <MenuItem value={AS_SHOT}>As shot</MenuItem>
      {KINDS.map((k, i) => (
        <MenuItem key={k.title} value={`${i}`}>
          {k.title}, {k.temperature} K
        </MenuItem>
      ))}
      {value === OWN && <MenuItem value={OWN}>By hand</MenuItem>}
    </Select>
  );
}
