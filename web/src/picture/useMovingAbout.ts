import { type RefObject, useEffect, useRef } from "react";

import { brushOfTool, hardenBrush, resizeBrush } from "../state/painting";
import { toggleZoom, useView } from "../state/view";
import { fitted } from "./geometry";
import { TOOLS } from "./tools";
import { fromPane, type Viewport } from "./viewport";

const FARTHEST = 4;
/** By how much a wheel's pixels zoom, and those of two fingers on a touchpad, which come as a wheel with Ctrl. */
const WHEEL = 1 / 500;
const PINCH = 1 / 100;

const typing = (e: KeyboardEvent) => (e.target as Element).closest("input:not([type=checkbox]), textarea") !== null;

/** Zoom at a place of the pane, which stays where it is; no further out than the whole picture. */
function zoomAt(lay: Viewport, x: number, y: number, by: number) {
  const next = Math.min(FARTHEST, lay.placing.zoom * by);
  if (next <= fitted(lay.map.size, lay.pane) * 1.02) {
    useView.setState({ zoom: null, centre: null });
    return;
  }
  const [px, py] = fromPane(lay, [x, y]);
  useView.setState({
    zoom: next,
    centre: [px - (x - lay.pane.width / 2) / next, py - (y - lay.pane.height / 2) / next],
  });
}

/**
 * Moving about with any tool in hand, over anything that is drawn on the picture: the middle button and Space drag it,
 * the wheel zooms, and sizes the brush with Alt and hardens it with Shift.
 */
export function useMovingAbout(canvas: RefObject<HTMLCanvasElement | null>, lay: Viewport | null) {
  const seen = useRef(lay);
  seen.current = lay;
  useEffect(() => {
    const pane = canvas.current!.parentElement!;
    let inside = false;
    let space = false;
    let drag: ReturnType<typeof TOOLS.pan.down> = null;
    const at = (e: MouseEvent) => {
      const box = canvas.current!.getBoundingClientRect();
      return [e.clientX - box.left, e.clientY - box.top] as const;
    };
    const pointed = (e: PointerEvent) => {
      const lay = seen.current!;
      const place = fromPane(lay, [...at(e)]);
      const zoomed = useView.getState().zoom !== null;
      const [x, y, scene] = [e.clientX, e.clientY, lay.map.toScene(place)] as const;
      return {
        x,
        y,
        place,
        scene,
        lay,
        zoomed,
        pressure: 1,
        rubs: false,
        straight: false,
        aside: false,
        selects: false,
        treatment: null,
      };
    };
    const own = (e: Event) => {
      e.preventDefault();
      e.stopPropagation();
    };
    const down = (e: PointerEvent) => {
      if (!seen.current || (e.button !== 1 && !(e.button === 0 && space))) return;
      own(e);
      drag = TOOLS.pan.down(pointed(e));
      if (drag) {
        pane.setPointerCapture(e.pointerId);
        useView.setState({ moving: "dragged" });
      }
    };
    const move = (e: PointerEvent) => {
      if (!drag || !seen.current) return;
      own(e);
      drag.move(pointed(e));
    };
    const up = (e: Event) => {
      if (!drag) return;
      own(e);
      drag.end();
      drag = null;
      useView.setState({ moving: space ? "ready" : null });
    };
    const double = (e: MouseEvent) => {
      if (!space || !seen.current) return;
      own(e);
      toggleZoom([...fromPane(seen.current, [...at(e)])]);
    };
    const wheel = (e: WheelEvent) => {
      e.preventDefault();
      // With Shift, a wheel that turns down is told as one that turns aside.
      const by = e.deltaY || e.deltaX;
      const brush = brushOfTool(useView.getState().tool) !== undefined;
      if (e.altKey && brush) resizeBrush(Math.exp(-by * WHEEL));
      else if (e.shiftKey && brush) hardenBrush(-Math.sign(by) * 5);
      else if (seen.current) zoomAt(seen.current, ...at(e), Math.exp(-by * (e.ctrlKey ? PINCH : WHEEL)));
    };
    // A button that has the focus is pressed by Space, unless the pointer is on the picture.
    const key = (e: KeyboardEvent) => {
      if (e.key !== " " || typing(e)) return;
      if (e.type === "keydown" ? inside : space) e.preventDefault();
      const held = e.type === "keydown" && (space || inside);
      if (held === space) return;
      space = held;
      if (!drag) useView.setState({ moving: space ? "ready" : null });
    };
    const away = () => {
      space = false;
      useView.setState({ moving: null });
    };
    const enters = () => (inside = true);
    const leaves = () => (inside = false);
    // A click of the middle button scrolls, or pastes, where nothing says otherwise.
    const noClick = (e: MouseEvent) => e.button === 1 && own(e);
    const listeners: [EventTarget, string, (e: never) => void, AddEventListenerOptions][] = [
      [pane, "pointerdown", down, { capture: true }],
      [pane, "pointermove", move, { capture: true }],
      [pane, "pointerup", up, { capture: true }],
      [pane, "pointercancel", up, { capture: true }],
      [pane, "dblclick", double, { capture: true }],
      [pane, "auxclick", noClick, { capture: true }],
      [pane, "wheel", wheel, { passive: false }],
      [pane, "pointerenter", enters, {}],
      [pane, "pointerleave", leaves, {}],
      [window, "keydown", key, {}],
      [window, "keyup", key, {}],
      [window, "blur", away, {}],
    ];
    for (const [on, name, does, how] of listeners) on.addEventListener(name, does as EventListener, how);
    return () => {
      for (const [on, name, does, how] of listeners) on.removeEventListener(name, does as EventListener, how);
      away();
    };
  }, [canvas]);
}
