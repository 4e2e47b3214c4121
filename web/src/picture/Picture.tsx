import { type MouseEvent, useCallback, useEffect, useMemo, useRef, useState } from "react";

import { useBrush } from "../state/merging";
import { useScene } from "../state/scene";
import { toggleZoom, useView } from "../state/view";
import { useDrag } from "../useDrag";
import { place, visible } from "./geometry";
import { paint } from "./paint";
import { TOOLS } from "./tools";
import type { Drag, Pointed } from "./tools/tool";
import { usePane } from "./usePane";
import { type Rendered, useRenders } from "./useRenders";

const FARTHEST = 4;
const LARGEST = 8192;

/** The picture: rendered by the server for the window seen, drawn on a canvas, pointed at with the tool in hand. */
export function Picture() {
  const canvas = useRef<HTMLCanvasElement>(null);
  const [rendered, setRendered] = useState<Rendered | null>(null);
  const [dragging, setDragging] = useState<Drag | null>(null);
  const pane = usePane(canvas);
  const scene = useScene((s) => s.scene);
  const treatment = useScene((s) => s.treatment);
  const held = useScene((s) => s.held);
  const heldView = useScene((s) => s.heldView);
  const view = useView((s) => s.view);
  const comparing = useView((s) => s.comparing);
  const zoom = useView((s) => s.zoom);
  const centre = useView((s) => s.centre);
  const inHand = useView((s) => s.tool);
  const rendering = useView((s) => s.rendering);
  const brush = useBrush();
  const tool = TOOLS[inHand];

  const renders = useRenders((next) =>
    setRendered((last) => {
      last?.bitmap.close();
      return next;
    }),
  );
  const size = useMemo(
    () => (scene?.width && scene.height ? { width: scene.width, height: scene.height } : null),
    [scene?.width, scene?.height],
  );
  const placing = useMemo(() => (size && pane.width ? place(size, pane, zoom, centre) : null), [size, pane, zoom, centre]);
  const wantedView = comparing ? "untreated" : (heldView ?? view);
  const coarse = held || (dragging?.coarse ?? false);

  useEffect(() => {
    if (!placing || !size || !scene?.prepared || !treatment) return;
    useView.setState({ shownZoom: placing.zoom });
    const part = visible(size, pane, placing);
    const dots = window.devicePixelRatio || 1;
    const points = (length: number) => Math.max(1, Math.min(LARGEST, Math.round(length * placing.zoom * dots)));
    renders.current?.ask({
      prepared: scene.prepared,
      treatment,
      view: wantedView,
      ...part,
      out_width: points(part.width),
      out_height: points(part.height),
      coarse,
    });
  }, [placing, size, pane, scene?.prepared, treatment, wantedView, coarse, renders]);

  useEffect(() => {
    paint(canvas.current!, pane, placing, size, rendered, tool);
  }, [rendered, placing, pane, size, tool, brush, scene?.instructions]);

  const at = useCallback(
    (e: { clientX: number; clientY: number }): [number, number] => {
      const box = canvas.current!.getBoundingClientRect();
      return [(e.clientX - box.left - placing!.left) / placing!.zoom, (e.clientY - box.top - placing!.top) / placing!.zoom];
    },
    [placing],
  );
  const pointed = (e: { clientX: number; clientY: number }): Pointed => {
    const [x, y] = at(e);
    const share: [number, number] = [x / size!.width, y / size!.height];
    return { x: e.clientX, y: e.clientY, place: [x, y], share, pane, placing: placing!, zoomed: zoom !== null, treatment };
  };
  const drag = useDrag<Drag>({
    begin: (e) => {
      if (!placing || !size) return null;
      const begun = tool.down(pointed(e));
      setDragging(begun);
      return begun;
    },
    move: (begun, e) => begun.move(pointed(e)),
    end: (begun) => {
      setDragging(null);
      begun.end();
    },
  });
  const probe = (e: { clientX: number; clientY: number }) => {
    if (!placing || !size || dragging) return;
    const [x, y] = at(e);
    const inside = x >= 0 && y >= 0 && x < size.width && y < size.height;
    renders.current?.probe(inside && scene?.prepared ? { prepared: scene.prepared, treatment, probe: [x, y] } : null);
  };
  const turn = (e: MouseEvent & { deltaY: number }) => {
    if (!placing || !size) return;
    const next = Math.min(FARTHEST, placing.zoom * Math.exp(-e.deltaY / 500));
    if (next <= place(size, pane, null, null).zoom * 1.02) {
      useView.setState({ zoom: null, centre: null });
      return;
    }
    // The place under the pointer stays under the pointer.
    const [x, y] = at(e);
    const box = canvas.current!.getBoundingClientRect();
    const [dx, dy] = [e.clientX - box.left - pane.width / 2, e.clientY - box.top - pane.height / 2];
    useView.setState({ zoom: next, centre: [x - dx / next, y - dy / next] });
  };

  return (
    <canvas
      ref={canvas}
      tabIndex={0}
      aria-label={tool.label}
      data-prepared={scene?.prepared}
      data-view={wantedView}
      data-drawn={rendered?.number ?? 0}
      data-settled={!rendering && !coarse}
      style={{ cursor: tool.cursor(zoom !== null) }}
      {...drag}
      onPointerMove={(e) => {
        drag.onPointerMove(e);
        probe(e);
      }}
      onPointerLeave={() => !dragging && renders.current?.probe(null)}
      onDoubleClick={(e) => inHand === "pan" && placing && toggleZoom(at(e))}
      onWheel={turn}
    />
  );
}
