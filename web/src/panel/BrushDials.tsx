import { usePainting } from "../state/painting";
import { useView } from "../state/view";
import { DialRow } from "./Dial";

const nothing = () => {};
/** Diameters that brushes begin with, in shares of the scene's longer side. */
const START = { mend: 0.016, glow: 0.04 };

interface Props {
  /** The brush that they are of, and what it is called. */
  brush: "mend" | "glow";
  label: string;
  /** What its flow is called and does, if it has one; and what its softness does. */
  flows?: { title: string; help: string } | null;
  softens?: string;
}

/** A brush: how large, how soft its edge, and how much one stroke does. */
export function BrushDials({ brush, label, flows, softens }: Props) {
  const settings = usePainting((s) => s[brush]);
  const long = useView((s) => s.map?.long) ?? 6000;
  const set = (change: Partial<typeof settings>) =>
    usePainting.setState((s) => ({ [brush]: { ...s[brush], ...change } }));
  const size = {
    title: "Size",
    help: "Its diameter, in full-size pixels.",
    unit: "px",
    low: 4,
    high: Math.round(long * 0.2),
    increment: 1,
    scale: "linear" as const,
    shows: null,
    default: Math.round(long * START[brush]),
  };
  const softness = {
    title: "Softness",
    help: softens ?? "",
    unit: "%",
    low: 0,
    high: 100,
    increment: 1,
    scale: "linear" as const,
    shows: null,
    default: 20,
  };
  const flow = {
    title: flows?.title ?? "",
    help: flows?.help ?? "",
    unit: "%",
    low: 1,
    high: 100,
    increment: 1,
    scale: "linear" as const,
    shows: null,
    default: 100,
  };
  return (
    <section aria-label={label} className="brush-dials">
      <DialRow
        dial={size}
        name={`${brush}.size`}
        own={Math.round(settings.radius * 2 * long)}
        auto={size.default}
        show={(v) => set({ radius: Math.min(0.25, Math.max(0.0005, (v ?? size.default) / 2 / long)) })}
        store={nothing}
        hold={nothing}
        release={nothing}
      />
      {softens && (
        <DialRow
          dial={softness}
          name={`${brush}.softness`}
          own={100 - settings.hardness}
          auto={softness.default}
          show={(v) => set({ hardness: 100 - (v ?? softness.default) })}
          store={nothing}
          hold={nothing}
          release={nothing}
        />
      )}
      {flows && (
        <DialRow
          dial={flow}
          name={`${brush}.flow`}
          own={settings.flow}
          auto={flow.default}
          show={(v) => set({ flow: v ?? flow.default })}
          store={nothing}
          hold={nothing}
          release={nothing}
        />
      )}
    </section>
  );
}
