import type { Stroke } from "../api/client";
import { type Viewport, onPane } from "./viewport";
import type { Point } from "./map";

type Shape = Pick<Stroke, "points" | "radius" | "kind">;

const DASH: Record<Stroke["kind"], number[]> = { moved: [], still: [5, 5], sky: [2, 4], ground: [] };

/** Draw brush strokes over the picture: their outline, dashed for what takes away. */
export function drawStrokes(context: CanvasRenderingContext2D, strokes: Shape[], lay: Viewport, dots: number) {
  const colour = getComputedStyle(document.documentElement).getPropertyValue("--crenn-palette-primary-main").trim();
  // Strokes speak in shares of the merged picture's width and height.
  const [width, height] = lay.map.scene;
  const at = ([x, y]: Point): Point => onPane(lay, lay.map.toPlane([x * width, y * height]));
  for (const stroke of strokes) {
    const points = (stroke.points as Point[]).map(at);
    const path = new Path2D();
    points.forEach(([x, y], i) => {
      if (i === 0) path.moveTo(x * dots, y * dots);
      path.lineTo(x * dots, y * dots);
    });
    const [cx, cy] = stroke.points[0];
    const [from, to] = [at([cx, cy]), at([cx + stroke.radius, cy])];
    context.save();
    context.lineCap = "round";
    context.lineJoin = "round";
    context.globalAlpha = 0.28;
    context.strokeStyle = colour;
    context.lineWidth = 2 * Math.hypot(to[0] - from[0], to[1] - from[1]) * dots;
    context.stroke(path);
    context.globalAlpha = 1;
    context.lineWidth = 1.5 * dots;
    context.setLineDash(DASH[stroke.kind].map((d) => d * dots));
    context.stroke(path);
    context.restore();
  }
}
