import { type PointerEvent, Suspense, useCallback, useEffect, useRef, useState } from "react";

import { useBrush } from "../state/merging";
import { useMaskShown, viewOfMask } from "../state/maskShown";
import { useSeen } from "../state/history";
import { columnsOf, rowsOf, useCompare } from "../state/compare";
import { useScene } from "../state/scene";
import { toggleZoom, useView } from "../state/view";
import { useDrag } from "../useDrag";
import { type Station } from "../workbench/stations";
import { Comparison } from "./Comparison";
import { fromPane, ViewportContext } from "./viewport";
import type { Point } from "./map";
import { Loupe } from "./Loupe";
import { NoiseStrip } from "./NoiseStrip";
import { Overview } from "./Overview";
import { paint } from "./paint";
import { TOOLS } from "./tools";
import type { Drag, Pointed } from "./tools/tool";
import { useMovingAbout } from "./useMovingAbout";
import { usePane } from "./usePane";
import { useAreaSeen } from "./useAreaSeen";
import { type Rendered, useRenders } from "./useRenders";
import { useLaid, useShown, useWanted } from "./useWanted";

/** The picture: rendered by the server for the window seen, drawn on a canvas, pointed at with the tool in hand. */
export function Picture({ station }: { station: Station }) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const [rendered, setRendered] = useState<Rendered | null>(null);
  const [dragging, setDragging] = useState<Drag | null>(null);
  const pane = usePane(canvas);
  const instructions = useScene((s) => s.scene?.instructions);
  const held = useScene((s) => s.held);
  const heldView = useScene((s) => s.heldView);
  const view = useView((s) => s.view);
  const glance = useView((s) => s.glance);
  const zoom = useView((s) => s.zoom);
  const inHand = useView((s) => s.tool);
  const rendering = useView((s) => s.rendering);
  const loupe = useView((s) => s.loupe);
  const moving = useView((s) => s.moving);
  const brush = useBrush();
  const others = useCompare((s) => s.others.length);
  const beside = useCompare((s) => (s.way === "beside" ? s.others.length + 1 : 1));
  const [under, setUnder] = useState<Point | null>(null);
  const tool = TOOLS[inHand];

  const renders = useRenders((next) =>
    setRendered((last) => {
      last?.bitmap.close();
      return next;
    }),
  );
  const shown = useShown(station.name);
  const lay = useLaid(pane, rendered);
  const seen = useAreaSeen(station.name);
  const maskWay = useMaskShown((s) => s.way);
  const heldAs = heldView === "area" ? viewOfMask(maskWay) : heldView;
  const wantedView = glance ?? heldAs ?? (view === "picture" ? (seen ?? view) : view);
  const passing = useSeen((s) => s.passing);
  const coarse = held || passing || moving === "dragged" || (dragging?.coarse ?? false);
  useMovingAbout(canvas, lay);
  useWanted(renders, shown, pane, lay, wantedView, coarse, station.name);

  useEffect(() => {
    paint(canvas.current!, pane, lay, rendered, tool);
  }, [rendered, lay, pane, tool, brush, instructions]);

  const at = useCallback(
    (e: { clientX: number; clientY: number }): Point => {
      const box = canvas.current!.getBoundingClientRect();
      return fromPane(lay!, [e.clientX - box.left, e.clientY - box.top]);
    },
    [lay],
  );
  const pointed = (e: PointerEvent): Pointed => {
    const place = at(e);
    return {
      x: e.clientX,
      y: e.clientY,
      place,
      scene: lay!.map.toScene(place),
      lay: lay!,
      zoomed: zoom !== null,
      pressure: e.pointerType === "pen" ? e.pressure : 1,
      rubs: e.ctrlKey || e.metaKey,
      straight: e.altKey,
      aside: e.shiftKey,
      selects: e.shiftKey && station.name === "areas",
      treatment: shown?.treatment ?? null,
    };
  };
  const drag = useDrag<Drag>({
    begin: (e) => {
      if (!lay) return null;
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
    if (!lay || dragging) return;
    const [x, y] = at(e);
    const inside = x >= 0 && y >= 0 && x < lay.map.size.width && y < lay.map.size.height;
    renders.current?.probe(inside && shown ? { ...shown, probe: [x, y] } : null);
    if (others > 0) setUnder(inside ? [x, y] : null);
  };

  return (
    <>
      <canvas
        ref={canvas}
        tabIndex={0}
        aria-label={tool.label}
        data-prepared={shown?.prepared}
        data-view={wantedView}
        data-drawn={rendered?.number ?? 0}
        data-rendering={rendering}
        data-settled={!rendering && !coarse}
        style={{
          cursor: moving ? "grab" : tool.cursor(zoom !== null),
          width: beside > 1 ? `${100 / columnsOf(beside)}%` : undefined,
          height: beside > 1 ? `${100 / rowsOf(beside)}%` : undefined,
        }}
        {...drag}
        onPointerMove={(e) => {
          drag.onPointerMove(e);
          if (lay && !dragging) tool.hover?.(pointed(e));
          probe(e);
        }}
        onPointerLeave={() => {
          if (dragging) return;
          tool.hover?.(null);
          renders.current?.probe(null);
          setUnder(null);
        }}
        onDoubleClick={(e) => inHand === "pan" && lay && toggleZoom(at(e))}
      />
      {lay && shown && others > 0 && (
        <Comparison lay={lay} now={shown} uncropped={shown.uncropped} coarse={moving === "dragged"} pointed={under} />
      )}
      {lay && loupe && zoom === null && !dragging && <Loupe shown={shown} lay={lay} view={wantedView} />}
      {lay && <Overview lay={lay} rendered={rendered} />}
      {lay && inHand === "patch" && <NoiseStrip shown={shown} size={lay.map.size} width={pane.width} />}
      {lay && (
        <svg className={inHand === "pan" ? "over" : "over tool"} width={pane.width} height={pane.height}>
          <ViewportContext.Provider value={lay}>
            <Suspense>
              {station.Over && glance === null && <station.Over />}
              {tool.Over && <tool.Over />}
            </Suspense>
          </ViewportContext.Provider>
        </svg>
      )}
    </>
  );
}
