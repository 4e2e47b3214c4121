import { useAreas, useSelected } from "../state/areas";
import { useScene } from "../state/scene";
import { AreaDials } from "./areas/AreaDials";
import { AreaList } from "./areas/AreaList";
import { AreaParts } from "./areas/AreaParts";
import { ToolButton } from "./ToolButton";

const begins = () => useAreas.setState({ joins: false });

/** The Areas station: shapes on the picture, and what they bend. */
export default function AreasPanel() {
  const count = useScene((s) => s.treatment?.areas.length ?? 0);
  const selected = useSelected();
  return (
    <>
      <h2>Areas</h2>
      <p className="lead">{count ? "Bend the light within a shape." : "Draw a shape on the picture, then bend its light."}</p>
      <div className="row">
        <ToolButton tool="gradient" says="New gradient" inHand="Drag: full to nothing" title="Key D" before={begins} />
        <ToolButton tool="ellipse" says="New ellipse" inHand="Drag from its middle" title="Key C" before={begins} />
      </div>
      <AreaList />
      {selected && (
        <>
          <AreaDials index={selected[0]} area={selected[1]} />
          <AreaParts index={selected[0]} area={selected[1]} />
        </>
      )}
    </>
  );
}
