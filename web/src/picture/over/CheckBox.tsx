import { useCheck } from "../../state/check";
import { useScene } from "../../state/scene";
import { number } from "../../units";
import { sceneOnPane, useViewport } from "../viewport";
import { SceneRect } from "./SceneRect";

/** Boxes on places whose noise is measured: those that were, thin, and the one that is drawn. */
export function CheckBox() {
  const { box, found, places, scene } = useCheck();
  const id = useScene((s) => s.scene?.id);
  const lay = useViewport();
  if (scene !== id) return null;
  const corner = box && sceneOnPane(lay, [box[0] + box[2], box[1]]);
  return (
    <g className="patch" pointerEvents="none" data-testid="check-boxes">
      {places.map((place) => (
        <SceneRect key={place.join()} box={place} className="thin" />
      ))}
      {box && <SceneRect box={box} />}
      {corner && found?.smooth && (
        <text x={corner[0] + 6} y={corner[1] + 10}>
          × {number(found.ratio[1], 2)}
        </text>
      )}
    </g>
  );
}
