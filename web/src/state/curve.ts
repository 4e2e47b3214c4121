import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { create } from "zustand";
import { persist } from "zustand/middleware";

import { answered, api } from "../api/client";
import { type Channel, type CurvePoint } from "../curve/points";
import { preview, store, toldHere, useScene } from "./scene";
import { perScene } from "./perScene";

/** Whether the curve is seen large; kept. */
export const useCurveSize = create<{ large: boolean }>()(
  persist((): { large: boolean } => ({ large: false }), { name: "crenn-curve" }),
);

/** Which curve is worked on, and which of its points is. */
export const useCurve = create<{ channel: Channel; chosen: number | null }>(() => ({
  channel: "points",
  chosen: null,
}));
perScene(useCurve, "chosen");

export const NAMES: Record<Channel, string> = { points: "Luminance", red: "Red", green: "Green", blue: "Blue" };

/** Change the points of the curve that is worked on; nothing is stored until `storeCurve`. */
export function setPoints(change: (points: CurvePoint[]) => CurvePoint[]) {
  const { channel } = useCurve.getState();
  preview((t) => ({ ...t, curve: { ...t.curve, on: true, [channel]: change(t.curve[channel]) } }));
}

export function storeCurve(what = "Curve") {
  const { channel } = useCurve.getState();
  store(channel === "points" ? what : `${what}, ${NAMES[channel].toLowerCase()}`);
}

/** Histogram of what enters the curve; while a dial moves, what was known last stays. */
export function useEntering() {
  const id = useScene((s) => s.scene?.id);
  const prepared = useScene((s) => s.scene?.prepared);
  const treatment = useScene((s) => s.treatment);
  const held = useScene((s) => s.held);
  // What the curve and what comes after it do does not enter it.
  const before = treatment && JSON.stringify({ ...treatment, curve: undefined, ends: undefined });
  return useQuery({
    queryKey: ["entering", id, prepared, before],
    enabled: !!prepared && !held && id !== undefined && before !== null,
    queryFn: () =>
      answered(
        api.POST("/api/scenes/{scene_id}/curve/light", {
          params: { path: { scene_id: id! } },
          body: { document: treatment! },
        }),
      ),
    placeholderData: keepPreviousData,
    gcTime: 10_000,
  });
}

/** Give the colours the same darkest and brightest light. */
export async function channelEnds() {
  const { scene, treatment } = useScene.getState();
  if (!scene || !treatment) return;
  const found = await toldHere(
    answered(
      api.POST("/api/scenes/{scene_id}/curve/ends", {
        params: { path: { scene_id: scene.id } },
        body: { document: treatment },
      }),
    ),
  );
  if (!found) return;
  preview((t) => ({ ...t, curve: { ...t.curve, on: true, ...found } }));
  store("Channel ends");
}

/** All curves straight again. */
export function straighten() {
  preview((t) => ({ ...t, curve: { ...t.curve, points: [], red: [], green: [], blue: [] } }));
  store("Curve straight");
}
