import type { Stroke } from "../api/client";
import type { Placing } from "./geometry";

type Shape = Pick<Stroke, "points" | "radius" | "kind">;

const DASH: Record<Stroke["kind"], number[]> = { moved: [], still: [5, 5], sky: [2, 4], ground: [] };

/** Draw brush strokes over the picture: their outline, dashed for what takes away. */
export function drawStrokes(context: CanvasRenderingContext2D, strokes: Shape[], size: { width: number; height: number }, placing: Placing, dots: number) {
  const colour = getComputedStyle(document.documentElement).getPropertyValue("--crenn-palette-primary-main").trim();
  for (const stroke of strokes) {
    const at = ([x, y]: [number, number] | number[]) => [
      (placing.left + x * size.width * placing.zoom) * dots,
      (placing.top + y * size.height * placing.zoom) * dots,
    ];
    const path = new Path2D();
    stroke.points.forEach((p, i) => {
      const [x, y] = at(p);
      if (i === 0) path.moveTo(x, y);
      path.lineTo(x, y);
    });
    const width = 2 * stroke.radius * size.width * placing.zoom * dots;
    context.save();
    context.lineCap = "round";
    context.lineJoin = "round";
    context.globalAlpha = 0.28;
    context.strokeStyle = colour;
    context.lineWidth = width;
    context.stroke(path);
    context.globalAlpha = 1;
    context.lineWidth = 1.5 * dots;
    context.setLineDash(DASH[stroke.kind].map((d) => d * dots));
    context.stroke(path);
    context.restore();
  }
}
