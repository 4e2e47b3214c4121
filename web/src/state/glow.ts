import type { Treatment } from "../api/client";
import { tell } from "./messages";
import { preview, store, useScene } from "./scene";

type GlowStroke = Treatment["painted_glow"]["strokes"][number];

/** Strokes of light there may be. */
const MOST = 200;
/** Radii there may be, in shares of the scene's longer side. */
const RADII: [number, number] = [0.002, 0.25];

const setStrokes = (change: (strokes: GlowStroke[]) => GlowStroke[]) =>
  preview((t) => ({
    ...t,
    painted_glow: { ...t.painted_glow, on: true, strokes: change(t.painted_glow.strokes) },
  }));

/** Lay another stroke of light. */
export function addGlow({ points, radius, strength }: Pick<GlowStroke, "points" | "radius" | "strength">) {
  const strokes = useScene.getState().treatment?.painted_glow.strokes ?? [];
  if (strokes.length >= MOST) {
    tell(`There are ${MOST} strokes of light already: take some away first.`, "note");
    return;
  }
  const taken = new Set(strokes.map((s) => s.id));
  let number = strokes.length + 1;
  while (taken.has(`s${number}`)) number++;
  const held = Math.min(RADII[1], Math.max(RADII[0], radius));
  setStrokes((all) => [...all, { id: `s${number}`, points, radius: held, strength }]);
  store("Light painted");
}

/** Take the last stroke away, or all. */
export function takeGlow(all: boolean) {
  setStrokes((strokes) => (all ? [] : strokes.slice(0, -1)));
  store(all ? "Painted light away" : "Last stroke of light away");
}
