import type { Size } from "./geometry";
import type { Viewport } from "./viewport";
import { drawStrokes } from "./strokes";
import type { Tool } from "./tools/tool";
import type { Rendered } from "./useRenders";

/** Draw the newest picture where it belongs in the pane, and what the tool in hand paints over it. */
export function paint(
  canvas: HTMLCanvasElement,
  pane: Size,
  lay: Viewport | null,
  rendered: Rendered | null,
  tool: Tool,
) {
  const dots = window.devicePixelRatio || 1;
  const [width, height] = [Math.round(pane.width * dots), Math.round(pane.height * dots)];
  if (canvas.width !== width || canvas.height !== height) {
    canvas.width = width;
    canvas.height = height;
  }
  const context = canvas.getContext("2d")!;
  context.clearRect(0, 0, width, height);
  if (!rendered || !lay) return;
  const { placing } = lay;
  context.imageSmoothingEnabled = placing.zoom < 2;
  context.imageSmoothingQuality = "high";
  context.drawImage(
    rendered.bitmap,
    Math.round((placing.left + rendered.x * placing.zoom) * dots),
    Math.round((placing.top + rendered.y * placing.zoom) * dots),
    Math.round(rendered.width * placing.zoom * dots),
    Math.round(rendered.height * placing.zoom * dots),
  );
  if (tool.strokes) drawStrokes(context, tool.strokes(), lay, dots);
}
