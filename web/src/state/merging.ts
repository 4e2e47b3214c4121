import { create } from "zustand";

import { answered, api, type Instructions, type Stroke } from "../api/client";
import { told } from "./messages";
import { loadScene, useScene } from "./scene";
import { perScene } from "./perScene";

/** The brush over the merged picture: what it says, with which frame, how wide (share of the picture's width). */
interface BrushState {
  kind: Stroke["kind"];
  frame: string | null;
  radius: number;
  /** The stroke being drawn, in shares of the picture. */
  points: [number, number][];
}

export const useBrush = create<BrushState>(() => ({ kind: "moved", frame: null, radius: 0.02, points: [] }));
perScene(useBrush, "frame", "points");

/** The scene's merge instructions as the server keeps them. */
export const useInstructions = (): Instructions | null => useScene((s) => s.scene?.instructions ?? null);

/** Change the instructions; they hold from the next merge. */
export async function instruct(change: (i: Instructions) => Instructions) {
  const scene = useScene.getState().scene;
  if (!scene) return;
  const body = change(scene.instructions);
  useScene.setState((s) => (s.scene ? { scene: { ...s.scene, instructions: body } } : s));
  const kept = await told(
    answered(api.PUT("/api/scenes/{scene_id}/instructions", { params: { path: { scene_id: scene.id } }, body })),
  );
  if (!kept) await loadScene(scene.id).catch(() => {});
}

export function beginStroke(at: [number, number]) {
  useBrush.setState({ points: [at] });
}

export function continueStroke(at: [number, number]) {
  useBrush.setState((s) => (s.points.length ? { points: [...s.points, at].slice(0, 4000) } : s));
}

/** Keep the stroke drawn; it is merged in with the next merge. */
export function endStroke() {
  const { kind, frame, radius, points } = useBrush.getState();
  if (points.length === 0) return;
  useBrush.setState({ points: [] });
  const inside = points.map(([x, y]) => [clamp(x), clamp(y)] as [number, number]);
  void instruct((i) => ({
    ...i,
    strokes: [...(i.strokes ?? []), { kind, frame: kind === "moved" ? frame : null, radius, points: inside }],
  }));
}

const clamp = (v: number) => Math.min(1.5, Math.max(-0.5, v));

export function mergeAgain() {
  const scene = useScene.getState().scene;
  if (scene)
    void told(answered(api.POST("/api/scenes/{scene_id}/merge", { params: { path: { scene_id: scene.id } } })));
}
