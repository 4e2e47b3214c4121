import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useMemo } from "react";
import { create } from "zustand";

import { answered, api, type MendLayer, type Origin, type Patch } from "../api/client";
import type { Point } from "../picture/map";
import { placesOf } from "../picture/stroke";
import { newId } from "./areas";
import { tell } from "./messages";
import { perScene } from "./perScene";
import { preview, store, toldHere, useScene } from "./scene";
import { withValue } from "./values";

interface Mending {
  /** Ids of the layer that patches are put in, and of the patch that is worked on. */
  layer: string | null;
  patch: string | null;
  /** Whether the picture is shown without mends, while a key is held. */
  without: boolean;
}

export const useMend = create<Mending>(() => ({ layer: null, patch: null, without: false }));
perScene(useMend);

/** Where the copying brush copies from; each place is kept, to be taken again. */
interface Copying {
  places: Point[];
  /** Which of them is copied from. */
  at: number;
  /** Whether the way to it stays from stroke to stroke, and what it is; else each stroke begins there anew. */
  aligned: boolean;
  shift: Point | null;
}

export const useCopying = create<Copying>(() => ({ places: [], at: 0, aligned: true, shift: null }));
perScene(useCopying, "places", "at", "shift");

/** A treatment has at most so many patches, and so many layers of them. */
export const MOST_PATCHES = 1000;
export const MOST_LAYERS = 12;

export const layers = () => useScene.getState().treatment?.mend ?? [];
const layerOf = (id: string | null) => layers().find((layer) => layer.id === id);

/** The patch that is worked on, with its layer; null if there is none. */
export function useChosenPatch(): [MendLayer, Patch] | null {
  const { layer, patch } = useMend();
  const mend = useScene((s) => s.treatment?.mend);
  const own = mend?.find((one) => one.id === layer);
  const found = own?.patches.find((one) => one.id === patch);
  return own && found ? [own, found] : null;
}

export const choose = (layer: string | null, patch: string | null) => useMend.setState({ layer, patch });

/** A name that no layer has yet. */
function named(base: string): string {
  const names = new Set(layers().map((layer) => layer.name));
  for (let i = 1; ; i++) {
    const name = i === 1 ? base : `${base} ${i}`;
    if (!names.has(name)) return name;
  }
}

/** Begin a layer, on screen; its id, or null if there is no room. */
function begin(base = "Mends"): string | null {
  if (layers().length >= MOST_LAYERS) {
    tell(`There are ${MOST_LAYERS} layers at most: take one away first.`, "note");
    return null;
  }
  const id = newId();
  preview((t) => ({ ...t, mend: [...t.mend, { id, name: named(base), on: true, opacity: 100, patches: [] }] }));
  return id;
}

export function addLayer() {
  const id = begin();
  if (!id) return;
  choose(id, null);
  store("A layer of mends");
}

/** Put a patch into the layer in use, or a first one, and keep it. */
export function addPatch(patch: Pick<Patch, "points"> & Partial<Patch>, says: string) {
  if (layers().reduce((sum, layer) => sum + layer.patches.length, 0) >= MOST_PATCHES) {
    tell(`There are ${MOST_PATCHES} mends at most: take some away first.`, "note");
    return;
  }
  const into = layerOf(useMend.getState().layer) ?? layers().at(-1);
  const layer = into?.id ?? begin();
  if (!layer) return;
  const id = newId();
  const made: Patch = {
    on: true,
    closed: false,
    radius: 0,
    origin: null,
    other: null,
    attempt: 0,
    within: null,
    fit: "blend",
    softness: 0,
    opacity: 100,
    ...patch,
    id,
  };
  preview((t) => withValue(t, ["mend", layer, "patches"], [...(layerOf(layer)?.patches ?? []), made]));
  choose(layer, id);
  store(says);
}

/** Change a patch on screen; `store` keeps it. */
export const setPatch = (layer: string, patch: string, change: Partial<Patch>) =>
  preview((t) => {
    const found = t.mend.find((one) => one.id === layer)?.patches.find((one) => one.id === patch);
    return found ? withValue(t, ["mend", layer, "patches", patch], { ...found, ...change }) : t;
  });

export function removePatch(layer: string, patch: string) {
  const list = layerOf(layer)?.patches ?? [];
  const at = list.findIndex((one) => one.id === patch);
  preview((t) => withValue(t, ["mend", layer, "patches", patch], undefined));
  choose(layer, (list[at + 1] ?? list[at - 1])?.id ?? null);
  store("A mend away");
}

export function removeLayer({ id, name }: MendLayer) {
  preview((t) => withValue(t, ["mend", id], undefined));
  choose(null, null);
  store(`${name} away`);
}

/** Change the patch that is worked on, and keep it. */
function changeChosen(says: string, change: (patch: Patch) => Partial<Patch>) {
  const { layer, patch } = useMend.getState();
  const found = layerOf(layer)?.patches.find((one) => one.id === patch);
  if (!layer || !found) return;
  setPatch(layer, found.id, change(found));
  store(says);
}

/** Let another place be found for the patch that is worked on, or another frame that saw its place. */
export const again = () =>
  changeChosen("Another try", ({ attempt, other }) => ({
    origin: null,
    other: other && { frame: null },
    attempt: (attempt + 1) % 100,
  }));

/** Let the patch that is worked on show what another frame saw of its place, or what is found in the scene. */
export const fromFrame = () =>
  changeChosen("From another frame", ({ other }) => ({
    origin: null,
    other: other ? null : { frame: null },
    attempt: 0,
  }));

/** What the server is asked to look for in the mended scene. */
const looked = () => {
  const { scene, treatment } = useScene.getState();
  return scene && treatment
    ? { params: { path: { scene_id: scene.id } }, body: { document: { mend: treatment.mend } } }
    : null;
};

/** Put patches that were found into a layer of their own, on screen; false if there is no room. */
function foundLayer(name: string, patches: Patch[], on = true): boolean {
  const id = begin(name);
  if (!id) return false;
  const own = patches.map((patch) => ({ ...patch, id: newId(), on }));
  preview((t) => withValue(t, ["mend", id, "patches"], own));
  choose(id, own[0].id);
  return true;
}

/** Find dust, and mend it in a layer of its own: what is none is taken away from the list. */
export async function findDust() {
  const request = looked();
  const found = request && (await toldHere(answered(api.POST("/api/scenes/{scene_id}/mend/dust", request))));
  if (!found) return;
  if (found.patches.length === 0) return tell("No dust was found.", "note");
  if (foundLayer("Dust", found.patches)) store("Dust mended");
}

/** Find passing lights, and mend them in a layer of their own; meteors lie in another, and stay. */
export async function findPassing() {
  const request = looked();
  const found = request && (await toldHere(answered(api.POST("/api/scenes/{scene_id}/mend/passing", request))));
  if (!found) return;
  const { lights, meteors } = found;
  if (lights.length + meteors.length === 0) return tell("No passing lights were found in the sky.", "note");
  const kept = meteors.length === 0 || foundLayer("Meteors", meteors, false);
  if (kept && (lights.length === 0 || foundLayer("Passing lights", lights))) store("Passing lights mended");
  if (meteors.length > 0)
    tell(`${meteors.length === 1 ? "A meteor stays" : `${meteors.length} meteors stay`}.`, "note");
}

/** Take back the colour of the fringe at a place. */
export async function pickFringe(place: Point) {
  const { scene, treatment } = useScene.getState();
  if (!scene || !treatment) return;
  const found = await toldHere(
    answered(
      api.POST("/api/scenes/{scene_id}/mend/fringe", {
        params: { path: { scene_id: scene.id } },
        body: { document: { mend: treatment.mend, rims: treatment.rims }, place },
      }),
    ),
  );
  if (!found) return;
  const { direction } = found;
  if (direction === null)
    return tell("There is no fringe here that reaches so far: raise Reach, or click beside the rim.", "note");
  preview((t) => withValue(withValue(t, ["rims", "direction"], direction), ["rims", "picked"], t.rims.picked || 100));
  store("A fringe's colour");
}

/** Put a layer into the shoot's other scenes of the same camera: what lies on the sensor lies there in all. */
export async function spreadLayer({ id, name }: MendLayer) {
  const { scene } = useScene.getState();
  if (!scene) return;
  const found = await toldHere(
    answered(
      api.POST("/api/scenes/{scene_id}/mend/spread", {
        params: { path: { scene_id: scene.id } },
        body: { layer: id },
      }),
    ),
  );
  if (!found) return;
  tell(
    found.scenes.length
      ? `${name} is in ${found.scenes.length} more ${found.scenes.length === 1 ? "scene" : "scenes"}: ${found.scenes.join(", ")}.`
      : "No other scene of this shoot was taken with this camera.",
    "note",
  );
}

/** The middle of a patch. */
export function middleOf(patch: Pick<Patch, "points">): Point {
  const places = placesOf(patch);
  const sum = places.reduce<Point>(([x, y], p) => [x + p[0], y + p[1]], [0, 0]);
  return [sum[0] / places.length, sum[1] / places.length];
}

/** Where a place of a patch about its middle is copied from. */
export function copiedFrom(origin: Origin, middle: Point, [x, y]: Point): Point {
  const angle = (origin.turn * Math.PI) / 180;
  const [dx, dy] = [x - middle[0], y - middle[1]];
  const a = (Math.cos(angle) * dx + Math.sin(angle) * dy) / origin.scale;
  const b = (Math.cos(angle) * dy - Math.sin(angle) * dx) / origin.scale;
  return [middle[0] + origin.shift[0] + (origin.mirror ? -a : a), middle[1] + origin.shift[1] + b];
}

/** The patches as the server has solved them: their outlines, and where they were found; asked once nothing is held. */
export function useSolved(enabled: boolean) {
  const scene = useScene((s) => s.scene);
  const mend = useScene((s) => s.treatment?.mend);
  const held = useScene((s) => s.held);
  const known = useMemo(() => (held ? "" : JSON.stringify(mend ?? [])), [mend, held]);
  return useQuery({
    queryKey: ["mend", scene?.id, scene?.prepared, known],
    enabled: enabled && !!scene?.prepared && !held && (mend?.length ?? 0) > 0,
    placeholderData: keepPreviousData,
    gcTime: 60_000,
    queryFn: () =>
      answered(
        api.POST("/api/scenes/{scene_id}/mend", {
          params: { path: { scene_id: scene!.id } },
          body: { document: { mend } },
        }),
      ),
  });
}
