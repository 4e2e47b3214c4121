import { Button } from "@mui/material";

import type { Parameter } from "../api/client";
import { useSteps } from "../api/queries";
import { preview, store, useScene } from "../state/scene";
import { useView } from "../state/view";
import { Dial } from "./Dial";

/** Order of the headings in the panel; steps of other packages follow. */
const ORDER = ["White balance", "Tone", "Curve", "Ends"];

/** The Light station: every dial comes from the steps' parameters. */
export default function LightPanel() {
  const steps = useSteps().data ?? [];
  const rungs = useScene((s) => s.treatment?.placement?.rungs?.length ?? 0);
  const tool = useView((s) => s.tool);
  const groups = new Map<string, Parameter[]>(ORDER.map((g) => [g, []]));
  for (const step of steps.filter((s) => s.station === "light")) {
    for (const p of step.parameters) groups.set(p.group, [...(groups.get(p.group) ?? []), p]);
  }
  return (
    <>
      <h2>Light</h2>
      <p className="lead">Place the scene’s stops on the tones of the picture.</p>
      <div className="segment" role="group" aria-label="What dragging on the picture does">
        <button aria-pressed={tool === "pan"} onClick={() => useView.setState({ tool: "pan" })}>
          Move
        </button>
        <button aria-pressed={tool === "place"} onClick={() => useView.setState({ tool: "place" })} title="Drag up or down on the picture: the stop under the pointer gets brighter or darker. Key P">
          Place
        </button>
      </div>
      {[...groups].map(([group, parameters]) => (
        <section key={group} aria-label={group}>
          <div className="group">{group}</div>
          {parameters.map((p) => (
            <Dial key={`${p.step}.${p.name}`} parameter={p} />
          ))}
          {group === "White balance" && (
            <Button
              size="small"
              variant="outlined"
              color={tool === "neutral" ? "primary" : "inherit"}
              onClick={() => useView.setState((s) => ({ tool: s.tool === "neutral" ? "pan" : "neutral" }))}
              className="below"
            >
              {tool === "neutral" ? "Click a grey place in the picture" : "Pick a neutral patch"}
            </Button>
          )}
          {group === "Tone" && rungs > 0 && (
            <Button
              size="small"
              variant="outlined"
              color="inherit"
              className="below"
              onClick={() => {
                preview((t) => ({ ...t, placement: { ...t.placement, rungs: [] } }));
                store("All rungs back");
              }}
            >
              Put {rungs} {rungs === 1 ? "rung" : "rungs"} back
            </Button>
          )}
        </section>
      ))}
    </>
  );
}
