import { create } from "zustand";
import { persist } from "zustand/middleware";

import { answered, api, type Area } from "../api/client";
import { presets, queries } from "../api/queries";
import { newId, putAreas } from "./areas";
import { told } from "./messages";
import { preview, store, toldHere, useScene } from "./scene";
import { useView } from "./view";

/** Areas as they travel from scene to scene. */
export interface AreasDocument {
  format: "crenn-areas";
  version: 1;
  scene: [number, number];
  areas: Area[];
}

/** What was copied last; it outlives the scene and the tab. */
export const useClipboard = create<{ copied: AreasDocument | null }>()(
  persist(() => ({ copied: null as AreasDocument | null }), { name: "crenn-areas" }),
);

// What another tab copies is there in this one as well.
if (typeof window !== "undefined")
  window.addEventListener("storage", (e) => e.key === "crenn-areas" && void useClipboard.persist.rehydrate());

export function documentOf(list: Area[]): AreasDocument {
  const [width, height] = useView.getState().map?.scene ?? [1, 2 / 3];
  return { format: "crenn-areas", version: 1, scene: [width, height], areas: list };
}

export const copyArea = (area: Area) => useClipboard.setState({ copied: documentOf([area]) });

/** Areas of a document with their places in this scene; nothing if it cannot be used, which is told. */
async function here(document: unknown): Promise<Area[] | null> {
  const scene = useScene.getState().scene;
  if (!scene) return null;
  const found = await toldHere(
    answered(
      api.POST("/api/scenes/{scene_id}/areas/put", {
        params: { path: { scene_id: scene.id } },
        body: { document: document as Record<string, unknown> },
      }),
    ),
  );
  return found?.areas ?? null;
}

export async function paste(document: unknown, label = "Areas pasted") {
  const found = await here(document);
  if (found) putAreas(found, label);
}

/** Give an area the mask, or the settings, of the area that was copied. */
export async function pasteInto(area: Area, what: "mask" | "settings") {
  const copied = useClipboard.getState().copied;
  const found = copied && (await here(copied));
  if (!found?.length) return;
  const from = found[0];
  preview((t) => ({
    ...t,
    areas: t.areas.map((a) =>
      a.id !== area.id
        ? a
        : what === "mask"
          ? { ...a, parts: from.parts.map((p) => ({ ...p, id: newId() })), opacity: from.opacity }
          : { ...a, bends: from.bends },
    ),
  }));
  store(what === "mask" ? "A mask pasted" : "Settings pasted");
}

/** Keep areas by a name, for any scene. */
export async function keepPreset(name: string, list: Area[]) {
  const body = { name, document: documentOf(list) as unknown as Record<string, unknown> };
  const kept = await told(answered(api.PUT("/api/areas/presets", { body })));
  if (kept) queries.setQueryData(presets.queryKey, kept);
}

export async function forgetPreset(name: string) {
  const left = await told(answered(api.POST("/api/areas/presets/forget", { body: { name } })));
  if (left) queries.setQueryData(presets.queryKey, left);
}

/** Have the mask of an area written as a file; it turns up at Deliver. */
export async function deliverMask(area: Area) {
  const scene = useScene.getState().scene;
  if (!scene) return;
  const body = { set: "", mask: area.id };
  await told(
    answered(api.POST("/api/scenes/{scene_id}/deliveries", { params: { path: { scene_id: scene.id } }, body })),
  );
}
