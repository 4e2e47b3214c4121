import type { SceneBox } from "../../state/check";
import { path, sceneOnPane, useViewport } from "../viewport";
import type { Point } from "../map";

/** A box of the scene as it lies on the picture. */
export function SceneRect({ box: [x, y, w, h], className }: { box: SceneBox; className?: string }) {
  const lay = useViewport();
  const corners: Point[] = [
    [x, y],
    [x + w, y],
    [x + w, y + h],
    [x, y + h],
  ];
  return (
    <path
      d={path(
        corners.map((p) => sceneOnPane(lay, p)),
        true,
      )}
      className={className}
    />
  );
}
