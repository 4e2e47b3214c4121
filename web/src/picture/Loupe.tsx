import { useEffect, useRef, useState } from "react";

import { type Asked, ViewLine } from "../api/viewLine";
import { useView } from "../state/view";
import type { Viewport } from "./viewport";
import { onPane } from "./viewport";
import { drawOn, messageOf } from "./message";
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
  const line = useRef<ViewLine | null>(null);
  const flying = useRef(false);
  const wish = useRef<Asked | null>(null);
  const [drawn, setDrawn] = useState(0);
  const dots = window.devicePixelRatio || 1;
  const side = Math.round(SIDE * dots);

  useEffect(() => {
    const send = () => {
      if (flying.current || !wish.current || !line.current?.send(wish.current)) return;
      flying.current = true;
      wish.current = null;
    };
    const receive = async (data: ArrayBuffer) => {
      flying.current = false;
      send();
      if (await drawOn(() => canvas.current, messageOf(data).jpeg)) setDrawn((n) => n + 1);
    };
    line.current = new ViewLine(
      (data) => void receive(data),
      () => {
        flying.current = false;
        send();
      },
      () => {
        flying.current = false;
        send();
      },
    );
    return () => line.current?.close();
  }, []);

  useEffect(() => {
    if (!probe || !shown) return;
    const [left, width] = partOf(probe.x, lay.map.size.width, side);
    const [top, height] = partOf(probe.y, lay.map.size.height, side);
    const part = [left, top, width, height];
    wish.current = { ...shown, view, part, out_width: width, out_height: height, most: 1, coarse: false, number: 0 };
    if (!flying.current && line.current?.send(wish.current)) {
      flying.current = true;
      wish.current = null;
    }
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
