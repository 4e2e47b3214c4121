import { useCallback, useEffect, useMemo, useRef, useState } from "react";

import { answered, api } from "../api/client";
import { told } from "../state/messages";
import { hold, preview, release, rungAt, store, useScene, withRung } from "../state/scene";
import { toggleZoom, useView } from "../state/view";
import { beginStroke, continueStroke, endStroke, useBrush } from "../state/merging";
import { number } from "../units";
import { place, type Placing, visible } from "./geometry";
import { drawStrokes } from "./strokes";
import { type Rendered, useRenders } from "./useRenders";

/** Vertical way on the picture, in pixels, that moves a rung by one stop. */
const PER_STOP = 70;

interface Drag {
  kind: "pan" | "place" | "brush";
  x: number;
  y: number;
  centre: [number, number];
  stop: number;
  ev: number;
}

/** The picture: rendered by the server for the window seen, drawn on a canvas, panned, zoomed and placed on. */
export function Picture() {
  const canvas = useRef<HTMLCanvasElement>(null);
  const shown = useRef<Rendered | null>(null);
  const drag = useRef<Drag | null>(null);
  const [pane, setPane] = useState({ width: 0, height: 0 });
  const [version, setVersion] = useState(0);
  const { scene, treatment, held, heldView } = useScene();
  const { view, comparing, zoom, centre, tool } = useView();
  const brush = useBrush();

  const renders = useRenders((r) => {
    shown.current?.bitmap.close();
    shown.current = r;
    setVersion((v) => v + 1);
  });

  const size = useMemo(
    () => (scene?.width && scene.height ? { width: scene.width, height: scene.height } : null),
    [scene?.width, scene?.height],
  );
  const placing: Placing | null = useMemo(
    () => (size && pane.width ? place(size, pane, zoom, centre) : null),
    [size, pane, zoom, centre],
  );

  useEffect(() => {
    const watch = new ResizeObserver(([e]) => setPane({ width: e.contentRect.width, height: e.contentRect.height }));
    watch.observe(canvas.current!);
    return () => watch.disconnect();
  }, []);

  const wantedView = comparing ? "untreated" : (heldView ?? view);
  useEffect(() => {
    if (!placing || !size || !scene?.prepared || !treatment) return;
    useView.setState({ shownZoom: placing.zoom });
    const part = visible(size, pane, placing);
    const dots = window.devicePixelRatio || 1;
    renders.current?.ask({
      prepared: scene.prepared,
      treatment,
      view: wantedView,
      ...part,
      out_width: Math.max(1, Math.min(8192, Math.round(part.width * placing.zoom * dots))),
      out_height: Math.max(1, Math.min(8192, Math.round(part.height * placing.zoom * dots))),
      coarse: held || drag.current?.kind === "pan",
    });
  }, [placing, size, pane, scene?.prepared, treatment, wantedView, held, renders]);

  useEffect(() => {
    const target = canvas.current!;
    const dots = window.devicePixelRatio || 1;
    const [w, h] = [Math.round(pane.width * dots), Math.round(pane.height * dots)];
    if (target.width !== w || target.height !== h) {
      target.width = w;
      target.height = h;
    }
    const context = target.getContext("2d")!;
    context.clearRect(0, 0, w, h);
    const r = shown.current;
    if (!r || !placing) return;
    context.imageSmoothingEnabled = placing.zoom < 2;
    context.imageSmoothingQuality = "high";
    context.drawImage(
      r.bitmap,
      Math.round((placing.left + r.x * placing.zoom) * dots),
      Math.round((placing.top + r.y * placing.zoom) * dots),
      Math.round(r.width * placing.zoom * dots),
      Math.round(r.height * placing.zoom * dots),
    );
    const kinds = brush.kind === "moved" || brush.kind === "still" ? ["moved", "still"] : ["sky", "ground"];
    if (tool === "brush" && size && scene) {
      const kept = (scene.instructions.strokes ?? []).filter((s) => kinds.includes(s.kind));
      const drawn = brush.points.length ? [{ kind: brush.kind, radius: brush.radius, points: brush.points }] : [];
      drawStrokes(context, [...kept, ...drawn], size, placing, dots);
    }
    target.dataset.drawn = String(version);
  }, [version, placing, pane, tool, brush, scene?.instructions, size]); // eslint-disable-line

  const at = useCallback(
    (e: { clientX: number; clientY: number }): [number, number] => {
      const box = canvas.current!.getBoundingClientRect();
      return [(e.clientX - box.left - placing!.left) / placing!.zoom, (e.clientY - box.top - placing!.top) / placing!.zoom];
    },
    [placing],
  );

  const zoomTo = (next: number | null, e?: { clientX: number; clientY: number }) => {
    if (!size || !placing) return;
    if (next === null) {
      useView.setState({ zoom: null, centre: null });
      return;
    }
    // The place under the pointer stays under the pointer.
    const [px, py] = e ? at(e) : [size.width / 2, size.height / 2];
    const box = canvas.current!.getBoundingClientRect();
    const [dx, dy] = e ? [e.clientX - box.left - pane.width / 2, e.clientY - box.top - pane.height / 2] : [0, 0];
    useView.setState({ zoom: next, centre: [px - dx / next, py - dy / next] });
  };

  const pickNeutral = async (x: number, y: number) => {
    if (!scene) return;
    const white = await told(
      answered(api.POST("/api/scenes/{scene_id}/neutral", { params: { path: { scene_id: scene.id } }, body: { x, y, radius: 12 } })),
    );
    if (!white) return;
    preview((t) => ({ ...t, white_balance: { ...t.white_balance!, temperature: white.temperature, tint: white.tint } }));
    store("White balance from a neutral patch");
    useView.setState({ tool: "pan" });
  };

  const share = (e: { clientX: number; clientY: number }): [number, number] => {
    const [x, y] = at(e);
    return [x / size!.width, y / size!.height];
  };

  return (
    <canvas
      ref={canvas}
      tabIndex={0}
      aria-label={tool === "neutral" ? "Picture: click a grey or white place" : tool === "brush" ? "Picture: paint over it" : "Picture"}
      data-view={wantedView}
      style={{ cursor: tool === "neutral" || tool === "brush" ? "crosshair" : tool === "place" ? "ns-resize" : zoom === null ? "default" : "grab" }}
      onPointerDown={(e) => {
        if (!placing || !size || e.button !== 0) return;
        if (tool === "neutral") {
          void pickNeutral(...at(e));
          return;
        }
        e.currentTarget.setPointerCapture(e.pointerId);
        const { probe } = useView.getState();
        const c: [number, number] = [(pane.width / 2 - placing.left) / placing.zoom, (pane.height / 2 - placing.top) / placing.zoom];
        if (tool === "place" && probe && treatment) {
          const stop = Math.round(probe.stop);
          drag.current = { kind: "place", x: e.clientX, y: e.clientY, centre: c, stop, ev: rungAt(treatment, stop) };
          hold();
        } else if (tool === "brush") {
          drag.current = { kind: "brush", x: e.clientX, y: e.clientY, centre: c, stop: 0, ev: 0 };
          beginStroke(share(e));
        } else if (tool === "pan") {
          drag.current = { kind: "pan", x: e.clientX, y: e.clientY, centre: c, stop: 0, ev: 0 };
        }
      }}
      onPointerMove={(e) => {
        if (!placing || !size) return;
        const d = drag.current;
        if (d?.kind === "pan" && zoom !== null) {
          useView.setState({ centre: [d.centre[0] - (e.clientX - d.x) / placing.zoom, d.centre[1] - (e.clientY - d.y) / placing.zoom] });
          return;
        }
        if (d?.kind === "brush") {
          continueStroke(share(e));
          return;
        }
        if (d?.kind === "place") {
          preview((t) => withRung(t, d.stop, d.ev + (d.y - e.clientY) / PER_STOP));
          return;
        }
        const [x, y] = at(e);
        const inside = x >= 0 && y >= 0 && x < size.width && y < size.height;
        renders.current?.probe(inside && scene?.prepared ? { prepared: scene.prepared, treatment, probe: [x, y] } : null);
      }}
      onPointerUp={() => {
        const d = drag.current;
        drag.current = null;
        if (d?.kind === "brush") endStroke();
        if (d?.kind === "place") {
          release();
          store(`Rung at ${number(d.stop, 0, true)} EV`);
        } else if (d?.kind === "pan" && zoom !== null) {
          useView.setState((s) => ({ centre: s.centre ? [...s.centre] : null }));
        }
      }}
      onPointerLeave={() => !drag.current && renders.current?.probe(null)}
      onDoubleClick={(e) => tool === "pan" && toggleZoom(at(e))}
      onWheel={(e) => {
        if (!placing || !size) return;
        const fit = place(size, pane, null, null).zoom;
        const next = Math.min(4, placing.zoom * Math.exp(-e.deltaY / 500));
        zoomTo(next <= fit * 1.02 ? null : next, e);
      }}
    />
  );
}
