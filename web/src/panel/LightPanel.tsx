import { useView } from "../state/view";
import { Lamps } from "./Lamps";
import { Starts } from "./Starts";
import { StepsPanel } from "./StepsPanel";

/** What dragging on the picture does at Light. */
function Dragging() {
  const tool = useView((s) => s.tool);
  return (
    <div className="segment small" role="group" aria-label="What dragging on the picture does">
      <button aria-pressed={tool === "pan"} onClick={() => useView.setState({ tool: "pan" })}>
        Move
      </button>
      <button
        aria-pressed={tool === "place"}
        onClick={() => useView.setState({ tool: "place" })}
        title="Drag up or down on the picture: the stop under the pointer gets brighter or darker. Key P"
      >
        Place
      </button>
    </div>
  );
}

/** The Light station. */
export default function LightPanel() {
  return (
    <StepsPanel
      station="light"
      title="Light"
      lead="Place the scene’s stops on tones."
      aside={<Dragging />}
      below={<Lamps />}
    >
      <Starts />
    </StepsPanel>
  );
}
