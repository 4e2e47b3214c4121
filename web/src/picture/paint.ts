import type { Size } from "./geometry";
import type { Viewport } from "./viewport";
import { drawStrokes } from "./strokes";
import type { Tool } from "./tools/tool";
import type { DrawnPart } from "./latestRenders";
import type { Rendered } from "./useRenders";

/** A canvas as large as its pane, cleared; with how many dots a pixel has. */
function cleared(canvas: HTMLCanvasElement, pane: Size) {
  const dots = window.devicePixelRatio || 1;
  const [width, height] = [Math.round(pane.width * dots), Math.round(pane.height * dots)];
  if (canvas.width !== width || canvas.height !== height) {
    canvas.width = width;
    canvas.height = height;
  }
  const context = canvas.getContext("2d")!;
  context.clearRect(0, 0, width, height);
  return { context, dots };
}

/** Draw a picture where it lies. */
function draw(context: CanvasRenderingContext2D, { placing }: Viewport, picture: DrawnPart, dots: number) {
  context.imageSmoothingEnabled = placing.zoom < 2;
  context.imageSmoothingQuality = "high";
  context.drawImage(
    picture.bitmap,
    Math.round((placing.left + picture.x * placing.zoom) * dots),
    Math.round((placing.top + picture.y * placing.zoom) * dots),
    Math.round(picture.width * placing.zoom * dots),
    Math.round(picture.height * placing.zoom * dots),
  );
}

/** Draw a picture that is compared with where it lies in its pane. */
export function drawOther(canvas: HTMLCanvasElement, lay: Viewport, picture: DrawnPart | null) {
  const { context, dots } = cleared(canvas, lay.pane);
  if (picture) draw(context, lay, picture, dots);
}

/** Draw the newest picture where it belongs in the pane, and what the tool in hand paints over it. */
export function paint(
  canvas: HTMLCanvasElement,
  pane: Size,
  lay: Viewport | null,
  rendered: Rendered | null,
  tool: Tool,
) {
  const { context, dots } = cleared(canvas, pane);
  if (!rendered || !lay) return;
  draw(context, lay, rendered, dots);
  if (tool.strokes) drawStrokes(context, tool.strokes(), lay, dots);
}
