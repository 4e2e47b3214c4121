import { type MouseEvent, type PointerEvent, useEffect, useRef } from "react";

import { useView } from "../state/view";

/** After so long a press is a hold, in ms. */
const LONG = 220;

/** What a heading needs so that holding it shows the picture without some steps; a click is a click as before. */
export function useHeld(steps: readonly string[]) {
  const timer = useRef<ReturnType<typeof setTimeout>>(undefined);
  const held = useRef(false);
  const end = () => {
    clearTimeout(timer.current);
    if (useView.getState().without) useView.setState({ without: null });
  };
  useEffect(() => end, []);
  return {
    onPointerDown: (e: PointerEvent) => {
      held.current = false;
      if (e.button !== 0 || steps.length === 0) return;
      timer.current = setTimeout(() => {
        held.current = true;
        useView.setState({ without: steps });
      }, LONG);
    },
    onPointerUp: end,
    onPointerLeave: end,
    onPointerCancel: end,
    // The click that ends a hold is none; links are not dragged away by one.
    onClickCapture: (e: MouseEvent) => {
      if (!held.current) return;
      held.current = false;
      e.preventDefault();
      e.stopPropagation();
    },
    onDragStart: (e: { preventDefault: () => void }) => e.preventDefault(),
  };
}
