import { useEffect, useRef, useState } from "react";

import { useView } from "../state/view";
import type { Viewport } from "./viewport";
import { onPane } from "./viewport";
import { LatestRenders } from "./latestRenders";
import { put } from "./message";
import type { useShown } from "./useWanted";

/** Its side, in points of the screen. */
const SIDE = 240;

/** Where the loupe lies in a picture, in its full-size pixels: round a place, and within the picture. */
function partOf(at: number, whole: number, side: number): [number, number] {
  const length = Math.min(side, whole);
  return [Math.min(Math.max(at - Math.floor(length / 2), 0), whole - length), length];
}

/** The part of the picture round the pointer at 100 %, while the picture is shown whole. */
export function Loupe({ shown, lay, view }: { shown: ReturnType<typeof useShown>; lay: Viewport; view: string }) {
  const probe = useView((s) => s.probe);
  const canvas = useRef<HTMLCanvasElement>(null);
  const renders = useRef<LatestRenders | null>(null);
  const [drawn, setDrawn] = useState(0);
  const dots = window.devicePixelRatio || 1;
  const side = Math.round(SIDE * dots);

  useEffect(() => {
    const made = new LatestRenders(({ bitmap }) => {
      if (put(canvas.current, bitmap)) setDrawn((n) => n + 1);
    });
    renders.current = made;
    return () => made.close();
  }, []);

  useEffect(() => {
    if (!probe || !shown) return;
    const [left, width] = partOf(probe.x, lay.map.size.width, side);
    const [top, height] = partOf(probe.y, lay.map.size.height, side);
    const part = [left, top, width, height];
    renders.current?.ask({ ...shown, view, part, out_width: width, out_height: height, most: 1, coarse: false });
  }, [probe, shown, view, lay, side]);

  if (!probe) return null;
  // The pixel pointed at lies under the pointer.
  const [x, y] = onPane(lay, [probe.x, probe.y]);
  const [left, width] = partOf(probe.x, lay.map.size.width, side);
  const [top, height] = partOf(probe.y, lay.map.size.height, side);
  const style = {
    left: x - (probe.x - left) / dots,
    top: y - (probe.y - top) / dots,
    width: width / dots,
    height: height / dots,
  };
  return <canvas ref={canvas} className="loupe" data-testid="loupe" data-drawn={drawn} style={style} />;
}
