import { create } from "zustand";

import { answered, api } from "../api/client";
import type { SceneBox } from "./check";
import { preview, store, toldHere, useScene } from "./scene";

export type Method = "edges" | "dull";

interface CastState {
  by: Method;
  /** Where it is looked for: a box of the scene, a range of tones, or everywhere. */
  box: SceneBox | null;
  low: number | null;
  high: number | null;
  /** The scene that the box lies in. */
  scene: number | null;
}

export const useCast = create<CastState>(() => ({ by: "edges", box: null, low: null, high: null, scene: null }));

/** Ask for the cast where it is looked for, and take it out. */
export async function findCast() {
  const { scene, treatment } = useScene.getState();
  const { by, box, low, high, scene: of } = useCast.getState();
  if (!scene || !treatment) return;
  const body = { document: treatment, by, box: of === scene.id ? box : null, low, high };
  const found = await toldHere(
    answered(api.POST("/api/scenes/{scene_id}/colour/cast", { params: { path: { scene_id: scene.id } }, body })),
  );
  if (!found) return;
  preview((t) => ({ ...t, cast: { ...t.cast, on: true, red: found.red, blue: found.blue } }));
  store(by === "edges" ? "Cast found by edges" : "Cast found by dull colours");
}

/** Show a box that is being drawn. */
export const drawCastBox = (box: SceneBox) => useCast.setState({ box, scene: useScene.getState().scene?.id ?? null });

/** Look for it in a box that was drawn. */
export function findInBox(box: SceneBox) {
  drawCastBox(box);
  void findCast();
}

/** No cast any more. */
export function forgetCast() {
  preview((t) => ({ ...t, cast: { ...t.cast, red: 0, blue: 0, low: null, high: null } }));
  store("Cast let be");
}

/** Take it out of the tones alone that it was looked for in, or of all. */
export function castWithin(some: boolean) {
  const { low, high } = useCast.getState();
  preview((t) => ({ ...t, cast: { ...t.cast, low: some ? low : null, high: some ? high : null } }));
  store(some ? "Cast of these tones alone" : "Cast of all tones");
}
