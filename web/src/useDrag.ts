import { type PointerEvent, useRef } from "react";

interface Handlers<D> {
  /** What the drag starts from; null to let it be. */
  begin: (e: PointerEvent<Element>) => D | null;
  move: (start: D, e: PointerEvent<Element>) => void;
  end: (start: D) => void;
}

/** A drag by pointer: captured when it begins, ended when the pointer is lifted or lost. */
export function useDrag<D>({ begin, move, end }: Handlers<D>) {
  const start = useRef<D | null>(null);
  const finish = () => {
    if (start.current === null) return;
    const from = start.current;
    start.current = null;
    end(from);
  };
  return {
    onPointerDown: (e: PointerEvent<Element>) => {
      if (e.button !== 0) return;
      const from = begin(e);
      if (from === null) return;
      e.currentTarget.setPointerCapture(e.pointerId);
      start.current = from;
    },
    onPointerMove: (e: PointerEvent<Element>) => {
      if (start.current !== null) move(start.current, e);
    },
    onPointerUp: finish,
    onPointerCancel: finish,
  };
}
