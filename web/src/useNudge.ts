import { useEffect, useRef } from "react";

/** Rest, in ms, after which what keys or a wheel have moved is done with. */
const REST = 350;

/** Moves by keys or a wheel: what is shown follows at once, `done` is called when they rest. */
export function useNudge(done: () => void) {
  const timer = useRef<number | undefined>(undefined);
  const last = useRef(done);
  useEffect(() => {
    last.current = done;
  });
  return (move: () => void) => {
    move();
    clearTimeout(timer.current);
    timer.current = window.setTimeout(() => last.current(), REST);
  };
}
