import { type PointerEvent, useEffect, useRef } from "react";

import { useView } from "../state/view";
import { useDrag } from "../useDrag";
import { visible } from "./geometry";
import type { Rendered } from "./useRenders";
import type { Viewport } from "./viewport";

/** Its longer side, in CSS pixels. */
const SIDE = 150;

/** A small map of the whole picture with the part that is seen, while that is not all of it; a press moves there. */
export function Overview({ lay, rendered }: { lay: Viewport; rendered: Rendered | null }) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const zoomed = useView((s) => s.zoom !== null);
  const { size } = lay.map;
  const scale = SIDE / Math.max(size.width, size.height);
  const [width, height] = [Math.round(size.width * scale), Math.round(size.height * scale)];
  useEffect(() => {
    // The last picture that showed it all is the map.
    if (!rendered || rendered.x > 0 || rendered.y > 0 || rendered.width < size.width) return;
    if (rendered.height < size.height || !canvas.current) return;
    canvas.current.width = width;
    canvas.current.height = height;
    canvas.current.getContext("2d")!.drawImage(rendered.bitmap, 0, 0, width, height);
  }, [rendered, size, width, height]);
  const seen = visible(size, lay.pane, lay.placing);
  const to = (e: PointerEvent<Element>) => {
    const box = canvas.current!.getBoundingClientRect();
    useView.setState({ centre: [(e.clientX - box.left) / scale, (e.clientY - box.top) / scale] });
  };
  const drag = useDrag<true>({
    begin: (e) => {
      to(e);
      return true;
    },
    move: (_, e) => to(e),
    end: () => useView.setState((s) => ({ centre: s.centre ? [...s.centre] : null })),
  });
  const all = seen.width >= size.width && seen.height >= size.height;
  return (
    <div className="overview" hidden={!zoomed || all} style={{ width, height }} data-testid="overview" {...drag}>
      <canvas ref={canvas} style={{ width, height }} />
      <div
        className="seen"
        style={{
          left: seen.x * scale,
          top: seen.y * scale,
          width: Math.max(seen.width * scale, 3),
          height: Math.max(seen.height * scale, 3),
        }}
      />
    </div>
  );
}
