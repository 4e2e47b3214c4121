import { create } from "zustand";

import { answered, api, type Scene, ServerFault, type Treatment } from "../api/client";
import { tell } from "./messages";

export type Storing = "stored" | "storing" | "waiting";

interface SceneState {
  scene: Scene | null;
  /** The treatment as shown; runs ahead of what is stored while a dial is held. */
  treatment: Treatment | null;
  revision: number;
  canUndo: boolean;
  canRedo: boolean;
  storing: Storing;
  /** Whether a dial, rung or end point is held: the picture may be coarse. */
  held: boolean;
  /** View that the held dial asks for. */
  heldView: string | null;
}

export const useScene = create<SceneState>(() => ({
  scene: null,
  treatment: null,
  revision: 0,
  canUndo: false,
  canRedo: false,
  storing: "stored",
  held: false,
  heldView: null,
}));

const { setState: set, getState: get } = useScene;
let queue: { document: Treatment; label: string } | null = null;
let busy = false;

export async function loadScene(id: number) {
  const before = get().revision;
  const scene = (await answered(api.GET("/api/scenes/{scene_id}", { params: { path: { scene_id: id } } }))) as Scene;
  // A change still on its way to the server, or made since it was asked, is newer than what the server told.
  const own = queue !== null || busy || get().held || get().revision !== before;
  set((s) => ({
    scene,
    ...(own && s.scene?.id === id
      ? {}
      : {
          treatment: scene.treatment,
          revision: scene.revision,
          canUndo: scene.can_undo,
          canRedo: scene.can_redo,
          storing: "stored" as const,
        }),
  }));
}

/** Change the treatment on screen. Nothing is stored until `store`. */
export function preview(change: (t: Treatment) => Treatment) {
  set((s) => (s.treatment ? { treatment: change(s.treatment) } : s));
}

/** Store the treatment on screen as a new revision; tries again until the server has it. */
export function store(label: string) {
  const document = get().treatment;
  if (!document) return;
  queue = { document, label };
  set({ storing: "storing" });
  void drain();
}

async function drain() {
  if (busy) return;
  busy = true;
  while (queue) {
    const { document, label } = queue;
    const id = get().scene!.id;
    try {
      const state = await answered(
        api.PUT("/api/scenes/{scene_id}/treatment", {
          params: { path: { scene_id: id } },
          body: { document: document, parent: get().revision, label },
        }),
      );
      if (queue?.document === document) queue = null;
      set({ revision: state.revision, canUndo: state.can_undo, canRedo: state.can_redo });
    } catch (fault) {
      if (fault instanceof ServerFault && fault.kind !== "database" && fault.kind !== "unreachable") {
        queue = null;
        tell(fault.message);
        busy = false;
        await loadScene(id).catch(() => {});
        return;
      }
      set({ storing: "waiting" });
      await new Promise((done) => setTimeout(done, 1000));
    }
  }
  busy = false;
  set({ storing: "stored" });
}

let steps: Promise<void> = Promise.resolve();

/** One step after the other: answers that overtook each other would leave the page behind the server. */
function inTurn(direction: "undo" | "redo") {
  steps = steps.then(() => step(direction));
  return steps;
}

async function step(direction: "undo" | "redo") {
  const { scene } = get();
  if (!scene || queue || busy) return;
  const path = direction === "undo" ? "/api/scenes/{scene_id}/undo" : "/api/scenes/{scene_id}/redo";
  set({ storing: "storing" });
  try {
    const state = await answered(api.POST(path, { params: { path: { scene_id: scene.id } } }));
    set({
      treatment: state.treatment,
      revision: state.revision,
      canUndo: state.can_undo,
      canRedo: state.can_redo,
    });
  } catch (fault) {
    tell((fault as Error).message);
  }
  if (!queue) set({ storing: "stored" });
}

export const undo = () => inTurn("undo");
export const redo = () => inTurn("redo");

export function hold(view: string | null = null) {
  set({ held: true, heldView: view });
}

export function release() {
  set({ held: false, heldView: null });
}

/** Move the rung at a stop to an EV; 0 takes it away. */
export function withRung(treatment: Treatment, stop: number, ev: number): Treatment {
  const rungs = treatment.placement.rungs.filter((r) => r.stop !== stop);
  const clamped = Math.max(-8, Math.min(8, Math.round(ev * 20) / 20));
  if (clamped !== 0) rungs.push({ stop, ev: clamped });
  rungs.sort((a, b) => a.stop - b.stop);
  return { ...treatment, placement: { ...treatment.placement, rungs } };
}

export const rungAt = (treatment: Treatment, stop: number) =>
  treatment.placement.rungs.find((r) => r.stop === stop)?.ev ?? 0;

/** No scene: another is about to be loaded. */
export const forgetScene = () => set({ scene: null, treatment: null });
