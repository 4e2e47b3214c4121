import { patchOf, sideOf, useStrip } from "../../state/strip";
import { useView } from "../../state/view";
import { onPane, useViewport } from "../viewport";

/** Where the patch lies that is compared at several strengths. */
export default function StripFrame() {
  const at = useStrip((s) => s.at);
  const tool = useView((s) => s.tool);
  const lay = useViewport();
  if (tool !== "patch") return null;
  const dots = window.devicePixelRatio || 1;
  const [x, y, width, height] = patchOf(at, lay.map.size, Math.round(sideOf(lay.pane.width) * dots));
  const [left, top] = onPane(lay, [x, y]);
  const zoom = lay.placing.zoom;
  return (
    <g className="patch" pointerEvents="none" data-testid="strip-frame">
      <rect x={left} y={top} width={width * zoom} height={height * zoom} />
    </g>
  );
}
