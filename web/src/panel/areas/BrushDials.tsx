import { MenuItem, Select, ToggleButton, ToggleButtonGroup } from "@mui/material";

import { useKinds } from "../../api/queries";
import { type BrushSettings, TONES, type Tones, usePainting, type Way } from "../../state/painting";
import { useView } from "../../state/view";
import { DialRow } from "../Dial";

/** The brush in hand: how large, how soft, how much it leaves. */
export function BrushDials({ which }: { which: "brush" | "dodgeBurn" }) {
  const settings = usePainting((s) => s[which]);
  const dials = useKinds().data?.stroke ?? [];
  const long = useView((s) => s.map?.long) ?? 6000;
  const set = (change: Partial<BrushSettings>) =>
    usePainting.setState((s) => ({ [which]: { ...s[which], ...change } }));
  const nothing = () => {};
  const size = {
    title: "Size",
    help: "Its diameter, in full-size pixels.",
    unit: "px",
    low: 4,
    high: Math.round(long * 0.6),
    increment: 1,
    scale: "linear" as const,
    shows: null,
    default: Math.round(long * 0.08),
  };
  return (
    <section aria-label="Brush" className="brush-dials">
      {which === "dodgeBurn" && <Touching />}
      <DialRow
        dial={size}
        name="brush.size"
        own={Math.round(settings.radius * 2 * long)}
        auto={size.default}
        show={(v) => set({ radius: Math.min(0.5, Math.max(0.0005, (v ?? size.default) / 2 / long)) })}
        store={nothing}
        hold={nothing}
        release={nothing}
      />
      {dials.map((dial) => {
        const name = dial.name as keyof BrushSettings;
        return (
          <DialRow
            key={name}
            dial={dial}
            name={`brush.${name}`}
            own={settings[name]}
            auto={dial.default ?? 0}
            show={(v) => set({ [name]: v ?? dial.default ?? 0 })}
            store={nothing}
            hold={nothing}
            release={nothing}
          />
        );
      })}
      <p className="dim">
        Ctrl rubs out, Alt draws a straight line on from the last stroke. Comma and full stop: smaller, larger.
      </p>
    </section>
  );
}

/** Whether it brightens or darkens, and which tones. */
function Touching() {
  const way = usePainting((s) => s.way);
  const tones = usePainting((s) => s.tones);
  return (
    <div className="row">
      <ToggleButtonGroup
        size="small"
        exclusive
        value={way}
        aria-label="What it does"
        onChange={(_, next: Way | null) => next && usePainting.setState({ way: next })}
      >
        <ToggleButton value="brighten">Brighten</ToggleButton>
        <ToggleButton value="darken">Darken</ToggleButton>
      </ToggleButtonGroup>
      <Select
        size="small"
        variant="standard"
        value={tones}
        inputProps={{ "aria-label": "Which light it touches" }}
        onChange={(e) => usePainting.setState({ tones: e.target.value })}
      >
        {(Object.keys(TONES) as Tones[]).map((name) => (
          <MenuItem key={name} value={name}>
            {TONES[name]}
          </MenuItem>
        ))}
      </Select>
    </div>
  );
}
