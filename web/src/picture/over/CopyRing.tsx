import { useCopying } from "../../state/mend";
import { usePainting, useStroke } from "../../state/painting";
import type { Point } from "../map";
import { path, sceneOnPane, useViewport } from "../viewport";
import { BrushRing } from "./BrushRing";

/** The copying brush under the pointer, and a cross where it copies from. */
export function CopyRing() {
  const lay = useViewport();
  const settings = usePainting((s) => s.mend);
  const { places, at, aligned, shift } = useCopying();
  const pointer = useStroke((s) => s.at);
  const under = useStroke((s) => s.under);
  const from: Point | undefined =
    pointer && shift && (aligned || under) ? [pointer[0] + shift[0], pointer[1] + shift[1]] : places[at];
  const [x, y] = from ? sceneOnPane(lay, from) : [0, 0];
  return (
    <>
      <BrushRing settings={settings} />
      {from && (
        <g className="brush" pointerEvents="none" data-testid="copied-from">
          <path className="under" d={`M ${x - 7} ${y} h 14 M ${x} ${y - 7} v 14`} />
          <path className="line" d={`M ${x - 7} ${y} h 14 M ${x} ${y - 7} v 14`} />
          {pointer && <path className="fine" d={path([[x, y], sceneOnPane(lay, pointer)])} />}
        </g>
      )}
    </>
  );
}
