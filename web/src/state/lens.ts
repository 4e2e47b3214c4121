import { useQuery } from "@tanstack/react-query";
import { create } from "zustand";

import { answered, api, type Treatment } from "../api/client";
import type { Edge } from "./edges";
import { preview, store, toldHere, useScene } from "./scene";
import { perScene } from "./perScene";

type Lens = Treatment["lens"];

/** What is known of the scene's lens, under the treatment's settings. */
export function useLens() {
  const id = useScene((s) => s.scene?.id);
  const ready = useScene((s) => s.scene?.ready ?? false);
  const lens = useScene((s) => s.treatment?.lens);
  const held = useScene((s) => s.held);
  return useQuery({
    queryKey: ["lens", id, lens],
    enabled: ready && !held && id !== undefined && lens !== undefined,
    queryFn: () =>
      answered(api.POST("/api/scenes/{scene_id}/lens", { params: { path: { scene_id: id! } }, body: { lens: lens! } })),
    // While a dial moves, what was known last stays.
    placeholderData: (before) => before,
    gcTime: 10_000,
  });
}

/** Lenses of the database whose names hold a text. */
export function useLenses(text: string, enabled: boolean) {
  const id = useScene((s) => s.scene?.id);
  return useQuery({
    queryKey: ["lenses", id, text],
    enabled: enabled && id !== undefined,
    queryFn: () =>
      answered(api.GET("/api/scenes/{scene_id}/lenses", { params: { path: { scene_id: id! }, query: { text } } })),
    placeholderData: (before) => before,
    gcTime: 60_000,
  });
}

/** Change settings of the lens, as one step of the history. */
export function setLens(change: Partial<Lens>, label: string) {
  preview((t) => ({ ...t, lens: { ...t.lens, on: true, ...change } }));
  store(label);
}

/** Take the fall-off that the picture itself tells. */
export async function measureFalloff() {
  const id = useScene.getState().scene?.id;
  if (id === undefined) return;
  const found = await toldHere(
    answered(api.POST("/api/scenes/{scene_id}/lens/falloff", { params: { path: { scene_id: id } } })),
  );
  if (found)
    setLens({ falloff: found.falloff, steepness: found.steepness, falloff_amount: 0 }, "Fall-off by the picture");
}

/** Edges drawn so far that should be straight, by places of the scene. */
export const useBent = create<{ edges: Edge[] }>(() => ({ edges: [] }));
perScene(useBent);

/** Add an edge, and take the distortion by which all that were drawn become straight. */
export async function straightenBy(edge: Edge) {
  const { scene, treatment } = useScene.getState();
  if (!scene || !treatment) return;
  const before = useBent.getState().edges;
  const edges = [...before, edge];
  useBent.setState({ edges });
  const lines = edges.map(([a, b]) => [...a, ...b] as [number, number, number, number]);
  const body = { lens: treatment.lens, lines };
  const found = await toldHere(
    answered(api.POST("/api/scenes/{scene_id}/lens/distortion", { params: { path: { scene_id: scene.id } }, body })),
  );
  // An edge that says nothing is not kept.
  if (!found) return useScene.getState().scene?.id === scene.id ? useBent.setState({ edges: before }) : undefined;
  setLens(
    { distortion: found.distortion },
    edges.length === 1 ? "Distortion by an edge" : `Distortion by ${edges.length} edges`,
  );
}
