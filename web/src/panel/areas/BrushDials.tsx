import { MenuItem, Select, ToggleButton, ToggleButtonGroup } from "@mui/material";

import { useKinds } from "../../api/queries";
import { type BrushSettings, TONES, type Tones, usePainting, type Way } from "../../state/painting";
import { useView } from "../../state/view";
import { select, useSelected } from "../../state/areas";
import { toggle, useFolding } from "../../state/folding";
import { DialRow } from "../Dial";

/** Dials of a stroke that are at hand at once. */
const USUAL = ["hardness", "flow", "edges"];

/** The brush in hand: how large, how soft, how much it leaves. */
export function BrushDials({ which }: { which: "brush" | "dodgeBurn" }) {
  const settings = usePainting((s) => s[which]);
  const dials = useKinds().data?.stroke ?? [];
  const long = useView((s) => s.map?.long) ?? 6000;
  const set = (change: Partial<BrushSettings>) =>
    usePainting.setState((s) => ({ [which]: { ...s[which], ...change } }));
  const more = useFolding((s) => s.open["brush.more"] ?? false);
  const selected = useSelected();
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
      <div className="group">
        <h3>Brush</h3>
        {which === "brush" && selected && (
          <button className="quiet" title="The next stroke begins an area of its own" onClick={() => select(null)}>
            into {selected.name} ×
          </button>
        )}
        <button
          className="quiet unfold"
          aria-expanded={more}
          aria-label={more ? "less of the brush" : "more of the brush"}
          onClick={() => toggle("brush.more", !more)}
        >
          {more ? "less" : "more"}
        </button>
      </div>
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
      {dials
        .filter((dial) => more || USUAL.includes(dial.name))
        .map((dial) => {
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
      <p
        className="dim"
        title="Comma and full stop, or the wheel with Alt: smaller, larger; the wheel with Shift: harder"
      >
        Ctrl takes away, Alt goes on in a straight line.
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
