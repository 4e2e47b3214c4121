import { create } from "zustand";

import { answered, api, type Scene, ServerFault, type Treatment, type TreatmentState } from "../api/client";
import { telling } from "./difference";
import { tell, told } from "./messages";

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

/** A change that waits to be stored. */
interface Entry {
  document: Treatment;
  label: string;
}

/** What waits to be stored of one scene, whichever is looked at meanwhile. */
interface Queue {
  scene: number;
  /** The treatment as the server has it, and its revision. */
  base: Treatment;
  revision: number;
  entries: Entry[];
  /** How often it was put on what another window had stored meanwhile. */
  rebased: number;
  /** Once all is stored, or what could not be is given up. */
  draining: Promise<void> | null;
}

const queues = new Map<number, Queue>();
/** How long what could not be stored waits before it is tried again, in ms. */
const AGAIN = 1000;
/** So often a change is put on what another window has stored in the meantime. */
const REBASES = 3;

const isShown = (id: number) => get().scene?.id === id;

/** The queue of the scene in view; it is there as long as something waits in it. */
function queueOf(scene: Scene, revision: number): Queue {
  const queue = queues.get(scene.id) ?? {
    scene: scene.id,
    base: scene.treatment,
    revision,
    entries: [],
    rebased: 0,
    draining: null,
  };
  queues.set(scene.id, queue);
  return queue;
}

export async function loadScene(id: number) {
  const before = get().revision;
  const asked = get().scene?.instructions;
  const told = (await answered(api.GET("/api/scenes/{scene_id}", { params: { path: { scene_id: id } } }))) as Scene;
  const queue = queues.get(id);
  const shown = isShown(id);
  // Instructions that were given since it was asked are newer than those that the server told.
  const given = shown && get().scene && get().scene!.instructions !== asked ? get().scene!.instructions : null;
  const scene = given ? { ...told, instructions: given } : told;
  // A change still on its way to the server, or made since it was asked, is newer than what the server told.
  const own = (queue?.entries.length ?? 0) > 0 || (shown && (get().held || get().revision !== before));
  if (own) {
    const waiting = queue?.entries.at(-1)?.document;
    set((s) => ({
      // What the server told may be older than what it has stored since: changes are told against the newer.
      scene: shown && s.scene ? { ...scene, treatment: s.scene.treatment, revision: s.scene.revision } : scene,
      ...(shown
        ? {}
        : { treatment: waiting ?? scene.treatment, revision: queue!.revision, storing: "storing" as const }),
      canUndo: s.canUndo || scene.can_undo,
    }));
    return;
  }
  set({
    scene,
    treatment: scene.treatment,
    revision: scene.revision,
    canUndo: scene.can_undo,
    canRedo: scene.can_redo,
    storing: "stored",
  });
}

/** Change the treatment on screen. Nothing is stored until `store`. */
export function preview(change: (t: Treatment) => Treatment) {
  set((s) => (s.treatment ? { treatment: change(s.treatment) } : s));
}

/** Store the treatment on screen as a new revision; tries again until the server has it. */
export function store(label: string) {
  const { scene, treatment, revision } = get();
  if (!scene || !treatment) return;
  const queue = queueOf(scene, revision);
  const last = queue.entries.at(-1);
  // The first is on its way; later ones of the same kind become one.
  if (last && last.label === label && queue.entries.length > 1) last.document = treatment;
  else queue.entries.push({ document: treatment, label });
  set({ storing: get().storing === "waiting" ? "waiting" : "storing" });
  queue.draining ??= drain(queue);
}

async function drain(queue: Queue) {
  try {
    while (queue.entries.length > 0) {
      const { document, label } = queue.entries[0];
      const other = telling(queue.base, document);
      if (!("changes" in other) || other.changes.length > 0) {
        const body = { ...other, parent: queue.revision, label };
        try {
          const state = await answered(
            api.PUT("/api/scenes/{scene_id}/treatment", { params: { path: { scene_id: queue.scene } }, body }),
          );
          queue.revision = state.revision;
          if (isShown(queue.scene))
            set({ revision: state.revision, canUndo: state.can_undo, canRedo: state.can_redo, storing: "storing" });
        } catch (fault) {
          if (!(fault instanceof ServerFault && fault.kind !== "database" && fault.kind !== "unreachable")) {
            if (isShown(queue.scene)) set({ storing: "waiting" });
            await new Promise((done) => setTimeout(done, AGAIN));
            continue;
          }
          // What was changed elsewhere stays, and what is changed here goes on top of it.
          if (fault.kind === "stale" && "changes" in other && queue.rebased++ < REBASES) {
            const newest = await newestRevision(queue.scene);
            if (newest !== null) {
              queue.revision = newest;
              continue;
            }
          }
          queue.entries = [];
          queues.delete(queue.scene);
          tell(fault.message);
          if (isShown(queue.scene)) await loadScene(queue.scene).catch(() => {});
          return;
        }
      }
      queue.base = document;
      queue.entries.shift();
    }
    if (isShown(queue.scene))
      set((s) => ({ scene: s.scene && { ...s.scene, treatment: queue.base, revision: queue.revision } }));
  } finally {
    queues.delete(queue.scene);
    if (isShown(queue.scene)) set({ storing: "stored" });
  }
  if (queue.rebased === 0 || !isShown(queue.scene)) return;
  await loadScene(queue.scene).catch(() => {});
  tell("This scene was changed in another window meanwhile: both changes are kept. Undo takes yours back.", "note");
}

const newestRevision = (scene: number): Promise<number | null> =>
  answered(api.GET("/api/scenes/{scene_id}", { params: { path: { scene_id: scene } } })).then(
    (found) => found.revision,
    () => null,
  );

let steps: Promise<void> = Promise.resolve();

/** Asks the server to move a scene along its history, or to another take; where it stands then. */
export type Move = (scene: number) => Promise<TreatmentState>;

/** One step after the other: answers that overtook each other would leave the page behind the server. */
export function inTurn(move: Move) {
  steps = steps.then(() => step(move));
  return steps;
}

async function step(move: Move) {
  const { scene } = get();
  if (!scene) return;
  // What is being stored comes first: it is what is to be taken back.
  await queues.get(scene.id)?.draining;
  if (!isShown(scene.id)) return;
  set({ storing: "storing" });
  try {
    const state = await move(scene.id);
    if (!isShown(scene.id)) return;
    set({
      scene: { ...get().scene!, treatment: state.treatment, revision: state.revision },
      treatment: state.treatment,
      revision: state.revision,
      canUndo: state.can_undo,
      canRedo: state.can_redo,
    });
    // How it is to be merged is the scene's, not the treatment's.
    if (state.merging) await loadScene(scene.id);
  } catch (fault) {
    tell((fault as Error).message);
  }
  if (isShown(scene.id) && !queues.get(scene.id)?.draining) set({ storing: "stored" });
}

const path = (scene: number) => ({ params: { path: { scene_id: scene } } });
export const undo = () => inTurn((id) => answered(api.POST("/api/scenes/{scene_id}/undo", path(id))));
export const redo = () => inTurn((id) => answered(api.POST("/api/scenes/{scene_id}/redo", path(id))));

/** As `told`, of something that is about the scene in view: nothing comes of it if another is in view by then. */
export async function toldHere<T>(work: Promise<T>): Promise<T | undefined> {
  const id = get().scene?.id;
  const found = await told(work);
  return get().scene?.id === id ? found : undefined;
}

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

/** No scene: another is about to be loaded. What waits to be stored of the one before goes on waiting. */
export const forgetScene = () => set({ scene: null, treatment: null, storing: "stored", held: false, heldView: null });
