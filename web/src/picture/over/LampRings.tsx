import { useFolding } from "../../state/folding";
import { useScene } from "../../state/scene";
import { onPane, sceneOnPane, useViewport } from "../viewport";

/** Rings round the lamps that were found, while their list is open. */
export default function LampRings() {
  const open = useFolding((s) => s.open.lamps ?? false);
  const lamps = useScene((s) => s.scene?.report?.lamps);
  const lay = useViewport();
  if (!open || !lamps) return null;
  return (
    <g className="lamps" data-testid="lamp-rings">
      {lamps.map((lamp, i) => {
        const [x, y] = sceneOnPane(lay, [lamp.x, lamp.y]);
        const [edge] = onPane(lay, [lamp.glare * lay.map.long, 0]);
        const [start] = onPane(lay, [0, 0]);
        return (
          <circle key={i} cx={x} cy={y} r={Math.max(edge - start, 4) + 2}>
            <title>{`Lamp ${i + 1}`}</title>
          </circle>
        );
      })}
    </g>
  );
}
