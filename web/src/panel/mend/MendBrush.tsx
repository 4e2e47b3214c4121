import { usePainting } from "../../state/painting";
import { useView } from "../../state/view";
import { DialRow } from "../Dial";

const nothing = () => {};

/** The brush of mends: how large, how soft its edge, and how far one stroke of a copy covers. */
export function MendBrush({ flows }: { flows: boolean }) {
  const settings = usePainting((s) => s.mend);
  const long = useView((s) => s.map?.long) ?? 6000;
  const set = (change: Partial<typeof settings>) => usePainting.setState((s) => ({ mend: { ...s.mend, ...change } }));
  const size = {
    title: "Size",
    help: "Its diameter, in full-size pixels.",
    unit: "px",
    low: 4,
    high: Math.round(long * 0.2),
    increment: 1,
    scale: "linear" as const,
    shows: null,
    default: Math.round(long * 0.016),
  };
  const softness = {
    title: "Softness",
    help: "How far the edge of new mends fades inwards.",
    unit: "%",
    low: 0,
    high: 100,
    increment: 1,
    scale: "linear" as const,
    shows: null,
    default: 20,
  };
  const flow = {
    title: "Flow",
    help: "How far each stroke covers; strokes over each other add up.",
    unit: "%",
    low: 1,
    high: 100,
    increment: 1,
    scale: "linear" as const,
    shows: null,
    default: 100,
  };
  return (
    <section aria-label="Brush of mends" className="brush-dials">
      <DialRow
        dial={size}
        name="mend.size"
        own={Math.round(settings.radius * 2 * long)}
        auto={size.default}
        show={(v) => set({ radius: Math.min(0.25, Math.max(0.0005, (v ?? size.default) / 2 / long)) })}
        store={nothing}
        hold={nothing}
        release={nothing}
      />
      <DialRow
        dial={softness}
        name="mend.softness"
        own={100 - settings.hardness}
        auto={softness.default}
        show={(v) => set({ hardness: 100 - (v ?? softness.default) })}
        store={nothing}
        hold={nothing}
        release={nothing}
      />
      {flows && (
        <DialRow
          dial={flow}
          name="mend.flow"
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
