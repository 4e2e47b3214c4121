import { type Aside, useAside } from "../state/aside";
import { CarryPanel } from "./CarryPanel";
import { HistoryPanel } from "./HistoryPanel";
import { PresetsPanel } from "./PresetsPanel";
import { WorthPanel } from "./WorthPanel";

const PANELS: Record<Aside, { title: string; Panel: () => React.ReactNode }> = {
  history: { title: "History", Panel: HistoryPanel },
  presets: { title: "Presets", Panel: PresetsPanel },
  steps: { title: "Steps", Panel: WorthPanel },
  carry: { title: "Carry", Panel: CarryPanel },
};

/** What stands beside the picture in place of the station's panel. */
export default function AsidePanel({ open }: { open: Aside }) {
  const { Panel } = PANELS[open];
  return (
    <>
      <div className="heading">
        <div className="segment" role="group" aria-label="Beside the picture">
          {(Object.keys(PANELS) as Aside[]).map((name) => (
            <button key={name} aria-pressed={name === open} onClick={() => useAside.setState({ open: name })}>
              {PANELS[name].title}
            </button>
          ))}
        </div>
        <button className="quiet" onClick={() => useAside.setState({ open: null })}>
          close
        </button>
      </div>
      <Panel />
    </>
  );
}
