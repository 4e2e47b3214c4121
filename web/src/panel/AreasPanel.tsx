import { useSelected } from "../state/areas";
import { useScene } from "../state/scene";
import { useView } from "../state/view";
import { AreaDials } from "./areas/AreaDials";
import { AreaList } from "./areas/AreaList";
import { AreaMenu } from "./areas/AreaMenu";
import { AreaParts } from "./areas/AreaParts";
import { BrushDials } from "./areas/BrushDials";
import { MaskKinds } from "./areas/MaskKinds";

/** The Areas station: masks on the picture, and what they bend. */
export default function AreasPanel() {
  const count = useScene((s) => s.treatment?.areas.length ?? 0);
  const tool = useView((s) => s.tool);
  const selected = useSelected();
  return (
    <>
      <h2>Areas</h2>
      {count === 0 && <p className="lead">Mark a part of the picture, then bend its light.</p>}
      <MaskKinds />
      {(tool === "paint" || tool === "touch") && <BrushDials which={tool === "paint" ? "brush" : "touch"} />}
      <AreaList />
      {selected && (
        <>
          <AreaDials index={selected[0]} area={selected[1]} />
          <AreaParts index={selected[0]} area={selected[1]} />
          <AreaMenu index={selected[0]} area={selected[1]} />
        </>
      )}
    </>
  );
}
