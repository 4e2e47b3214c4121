import { type SceneBox, useCheck } from "../../state/check";
import { useScene } from "../../state/scene";
import { number } from "../../units";
import { path, sceneOnPane, useLay } from "../lay";
import type { Point } from "../map";

/** Boxes on places whose noise is measured: those that were, thin, and the one that is drawn. */
export function CheckBox() {
  const { box, found, places, scene } = useCheck();
  const id = useScene((s) => s.scene?.id);
  const lay = useLay();
  const drawn = ([x, y, w, h]: SceneBox) => path(([[x, y], [x + w, y], [x + w, y + h], [x, y + h]] as Point[]).map((p) => sceneOnPane(lay, p)), true);
  if (scene !== id) return null;
  const corner = box && sceneOnPane(lay, [box[0] + box[2], box[1]]);
  return (
    <g className="patch" pointerEvents="none" data-testid="check-boxes">
      {places.map((place) => (
        <path key={place.join()} d={drawn(place)} className="thin" />
      ))}
      {box && <path d={drawn(box)} />}
      {corner && found?.smooth && (
        <text x={corner[0] + 6} y={corner[1] + 10}>
          × {number(found.ratio[1], 2)}
        </text>
      )}
    </g>
  );
}
