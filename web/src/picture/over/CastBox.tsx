import { useCast } from "../../state/cast";
import { useScene } from "../../state/scene";
import { SceneRect } from "./SceneRect";

/** The box that a cast is looked for in. */
export function CastBox() {
  const box = useCast((s) => s.box);
  const scene = useCast((s) => s.scene);
  const id = useScene((s) => s.scene?.id);
  if (!box || scene !== id) return null;
  return (
    <g className="patch" pointerEvents="none" data-testid="cast-box">
      <SceneRect box={box} />
    </g>
  );
}
