import { create } from "zustand";

import type { Point } from "../map";
import { path, sceneOnPane, useViewport } from "../viewport";
import { PickSquare } from "./PickSquare";

/** The outline that is being drawn. */
export const useLasso = create<{ line: Point[] }>(() => ({ line: [] }));

/** The rough outline under the pointer, or the square of a press. */
export function LassoLine() {
  const drawn = useLasso((s) => s.line.length > 1);
  return drawn ? <Lasso /> : <PickSquare />;
}

/** The outline that is being drawn. */
export function Lasso() {
  const lay = useViewport();
  const line = useLasso((s) => s.line);
  if (line.length < 2) return null;
  const d = path(
    line.map((p) => sceneOnPane(lay, p)),
    true,
  );
  return (
    <g className="brush" pointerEvents="none">
      <path className="under" d={d} fill="none" />
      <path className="line" d={d} fill="none" />
    </g>
  );
}
