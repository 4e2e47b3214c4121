import { useSelected } from "../state/areas";
import { useScene } from "../state/scene";
import { useView } from "../state/view";
import { AreaDials } from "./areas/AreaDials";
import { AreaList } from "./areas/AreaList";
import { AreaMenu } from "./areas/AreaMenu";
import { AreaParts } from "./areas/AreaParts";
import { BrushDials } from "./areas/BrushDials";
import { MaskKinds } from "./areas/MaskKinds";
import { MaskWay } from "./areas/MaskWay";

/** The Areas station: masks on the picture, and what they bend. */
export default function AreasPanel() {
  const areas = useScene((s) => s.treatment?.areas) ?? [];
  const tool = useView((s) => s.tool);
  const selected = useSelected();
  return (
    <>
      <div className="heading">
        <h2>Areas</h2>
        <MaskWay />
      </div>
      {areas.length === 0 && <p className="lead">Mark a part of the picture, then bend its light.</p>}
      <MaskKinds />
      <AreaList />
      {(tool === "paint" || tool === "dodgeBurn") && <BrushDials which={tool === "paint" ? "brush" : "dodgeBurn"} />}
      {selected && (
        <>
          <AreaDials area={selected} />
          <AreaParts area={selected} />
          <AreaMenu index={areas.indexOf(selected)} area={selected} />
        </>
      )}
    </>
  );
}
