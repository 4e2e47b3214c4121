import { create } from "zustand";

import type { Treatment } from "../api/client";
import { monotone } from "../monotone";

type Rungs = Treatment["placement"]["rungs"];

/** The rung that is held, by its stop. */
export const useHeldRung = create<{ stop: number | null }>(() => ({ stop: null }));

/** How far rungs reach below the lowest and above the highest, in stops, as the server has it. */
const BEYOND = 4;

/** EV that rungs add at a stop. */
function addedBy(rungs: Rungs): (stop: number) => number {
  if (rungs.length === 0) return () => 0;
  const at = [rungs[0].stop - BEYOND, ...rungs.map((r) => r.stop), rungs[rungs.length - 1].stop + BEYOND];
  return monotone(at, [0, ...rungs.map((r) => r.ev), 0]);
}

/** How strongly a stop moves with a rung, from 0 to 1: what a stop more of it would add there. */
export function movedWith(rungs: Rungs, stop: number): (stop: number) => number {
  const others = rungs.filter((r) => r.stop !== stop);
  const own = rungs.find((r) => r.stop === stop)?.ev ?? 0;
  const by = (ev: number) => addedBy([...others, { stop, ev }].sort((a, b) => a.stop - b.stop));
  const [less, more] = [by(own), by(own + (own < 7 ? 0.5 : -0.5))];
  return (s) => Math.min(Math.abs(more(s) - less(s)) / 0.5, 1);
}
