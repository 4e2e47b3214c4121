import { type BrushSettings, usePainting, useStroke } from "../../state/painting";
import type { Point } from "../map";
import { path, sceneOnPane, useViewport } from "../viewport";

const CORNERS = 40;

export const PaintRing = () => <BrushRing settings={usePainting((s) => s.brush)} />;
export const MendRing = () => <BrushRing settings={usePainting((s) => s.mend)} />;
export const GlowRing = () => <BrushRing settings={usePainting((s) => s.glow)} />;
export const DodgeBurnRing = () => <BrushRing settings={usePainting((s) => s.dodgeBurn)} />;

/** The brush under the pointer: rings of what it fills and how far it fades, and the stroke that is being drawn. */
export function BrushRing({ settings }: { settings: BrushSettings }) {
  const lay = useViewport();
  const at = useStroke((s) => s.at);
  const under = useStroke((s) => s.under);
  if (!at) return null;
  const ring = (radius: number) =>
    path(
      [...Array(CORNERS).keys()].map((i): Point =>
        sceneOnPane(lay, [
          at[0] + radius * Math.cos((2 * Math.PI * i) / CORNERS),
          at[1] + radius * Math.sin((2 * Math.PI * i) / CORNERS),
        ]),
      ),
      true,
    );
  const [x, y] = sceneOnPane(lay, at);
  const line = under && under.steps.length > 1 ? path(under.steps.map((s) => sceneOnPane(lay, s.at))) : null;
  return (
    <g className={under?.rubs ? "brush rubs" : "brush"} data-testid="brush-ring" pointerEvents="none">
      {line && <path className="stroke" d={line} />}
      <path className="under" d={ring(settings.radius)} />
      <path className="line" d={ring(settings.radius)} />
      {settings.hardness > 0 && settings.hardness < 100 && (
        <path className="fine" d={ring((settings.radius * settings.hardness) / 100)} />
      )}
      {settings.feather > 0 && <path className="fine" d={ring(settings.radius * (1 + settings.feather / 100))} />}
      <path className="line" d={`M ${x - 3} ${y} h 6 M ${x} ${y - 3} v 6`} />
    </g>
  );
}
