import { createContext, useContext } from "react";

import type { Placing, Size } from "./geometry";
import type { PlaneMap, Point } from "./map";

/** How the picture that is drawn lies in its pane, and over its scene. */
export interface Viewport {
  pane: Size;
  placing: Placing;
  map: PlaneMap;
}

export const ViewportContext = createContext<Viewport | null>(null);

/** For what is drawn over the picture; it is there only with one. */
export const useViewport = () => useContext(ViewportContext)!;

/** Where full-size pixels of the picture lie in the pane. */
export const onPane = ({ placing: p }: Viewport, [x, y]: Point): Point => [p.left + x * p.zoom, p.top + y * p.zoom];

/** Which full-size pixels of the picture a place of the pane shows. */
export const fromPane = ({ placing: p }: Viewport, [x, y]: Point): Point => [
  (x - p.left) / p.zoom,
  (y - p.top) / p.zoom,
];

/** Where a place of the scene lies in the pane, and back. */
export const sceneOnPane = (lay: Viewport, at: Point): Point => onPane(lay, lay.map.toPlane(at));
export const sceneFromPane = (lay: Viewport, at: Point): Point => lay.map.toScene(fromPane(lay, at));

/** A line through places of the pane, as SVG writes it. */
export const path = (points: Point[], closed = false) =>
  `M ${points.map(([x, y]) => `${x.toFixed(1)} ${y.toFixed(1)}`).join(" L ")}${closed ? " Z" : ""}`;
