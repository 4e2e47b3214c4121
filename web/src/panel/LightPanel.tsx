import { useView } from "../state/view";
import { Lamps } from "./Lamps";
import { Starts } from "./Starts";
import { StepsPanel } from "./StepsPanel";

/** The Light station. */
export default function LightPanel() {
  const tool = useView((s) => s.tool);
  return (
    <StepsPanel station="light" title="Light" lead="Place the scene’s stops on tones." below={<Lamps />}>
      <div className="segment" role="group" aria-label="What dragging on the picture does">
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
      <Starts />
    </StepsPanel>
  );
}
