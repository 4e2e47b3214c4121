import { useView } from "../../state/view";
import { useWhite } from "../../state/white";
import { onPane, useViewport } from "../viewport";

/** A patch under the pointer, as large as it would be measured. */
export function Patch({ side }: { side: number }) {
  const probe = useView((s) => s.probe);
  const lay = useViewport();
  if (!probe) return null;
  const half = (side * lay.placing.zoom) / 2;
  const [x, y] = onPane(lay, [probe.x + 0.5, probe.y + 0.5]);
  // A patch smaller than a few pixels of the screen still shows where it is.
  const seen = Math.max(half, 2);
  return (
    <g className="patch" pointerEvents="none" data-testid="patch">
      <rect x={x - seen} y={y - seen} width={2 * seen} height={2 * seen} />
      <text x={x + seen + 6} y={y - seen - 4}>
        {side} px
      </text>
    </g>
  );
}

/** The patch that white balance would be taken from. */
export function PatchSquare() {
  return <Patch side={useWhite((s) => s.side)} />;
}
