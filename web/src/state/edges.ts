import { useQuery } from "@tanstack/react-query";
import { create } from "zustand";

import { answered, api } from "../api/client";
import type { Point } from "../picture/map";
import { preview, store, toldHere, useScene } from "./scene";
import { tell } from "./messages";
import { perScene } from "./perScene";

export type Edge = [Point, Point];
export const MOST_EDGES = 4;

/** Edges drawn so far, by places of the scene. */
export const useEdges = create<{ edges: Edge[] }>(() => ({ edges: [] }));
perScene(useEdges);

/** Add an edge; how many there are then. */
export function addEdge(edge: Edge): number {
  useEdges.setState((s) => ({ edges: [...s.edges, edge] }));
  return useEdges.getState().edges.length;
}

export interface Straight {
  level: number;
  vertical: number;
  horizontal: number;
}

/** What lines ask for: those drawn, or those found in the scene; null, and told why, if they say nothing. */
export async function ask(edges: Edge[], horizontal: boolean): Promise<Straight | null> {
  const { scene, treatment } = useScene.getState();
  if (!scene || !treatment) return null;
  const lines = edges.map(([a, b]) => [...a, ...b] as [number, number, number, number]);
  const { lens, turn, perspective } = treatment;
  const body = { lines, horizontal, lens, turn, focal: perspective.focal };
  const found = await toldHere(
    answered(api.POST("/api/scenes/{scene_id}/straighten", { params: { path: { scene_id: scene.id } }, body })),
  );
  return found ?? null;
}

/** What the lines of the picture ask for by themselves; nothing if they say nothing. */
export function useOffer(enabled: boolean) {
  const id = useScene((s) => s.scene?.id);
  const ready = useScene((s) => s.scene?.ready ?? false);
  const lens = useScene((s) => s.treatment?.lens);
  const turn = useScene((s) => s.treatment?.turn);
  const focal = useScene((s) => s.treatment?.perspective.focal);
  const held = useScene((s) => s.held);
  return useQuery({
    queryKey: ["offer", id, lens, turn, focal],
    enabled: enabled && ready && !held && id !== undefined && lens !== undefined,
    queryFn: () =>
      answered(
        api.POST("/api/scenes/{scene_id}/straighten", {
          params: { path: { scene_id: id! } },
          body: { lines: [], horizontal: false, lens: lens!, turn: turn!, focal },
        }),
      ),
    placeholderData: (before) => before,
    gcTime: 60_000,
  });
}

/** How far the camera is turned at most, in degrees: level, and the perspective. */
const MOST = { level: 45, perspective: 60 };
const held = (v: number, most: number) => Math.min(most, Math.max(-most, v));

/** Take what lines ask for: level, and the perspective where it is wanted. */
export function take(found: Straight, label: string, perspective: boolean) {
  preview((t) => ({
    ...t,
    level: { ...t.level, on: true, angle: held(found.level, MOST.level) },
    ...(perspective
      ? {
          perspective: {
            ...t.perspective,
            on: true,
            vertical: held(found.vertical, MOST.perspective),
            horizontal: held(found.horizontal, MOST.perspective),
          },
        }
      : {}),
  }));
  store(label);
  const farthest = Math.max(Math.abs(found.vertical), Math.abs(found.horizontal));
  if (perspective && farthest > MOST.perspective)
    tell(`These lines ask for ${farthest.toFixed(0)}°; the camera is turned by ${MOST.perspective}° at most.`, "note");
}
