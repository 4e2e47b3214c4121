import { create } from "zustand";

import { answered, api, type SceneSummary, type Shoot } from "../api/client";
import { shootsChanged } from "../api/queries";
import { told } from "./messages";

/** What of the library is looked at. */
interface Looked {
  /** Words that a scene must hold. */
  words: string;
  /** Marks of choice that it must have at least. */
  choice: number;
  /** Whether the bin is looked at. */
  bin: boolean;
}

export const useLooked = create<Looked>(() => ({ words: "", choice: 0, bin: false }));

/** Marks of choice that a scene can have. */
export const MOST_CHOICE = 3;

/** Words of a scene by which it is found: names, camera, lens, when it was taken, and how many stops it has. */
function wordsOf(scene: SceneSummary, shoot: Shoot): string {
  const { frames, low_stop, high_stop } = scene;
  const first = frames[0];
  return [
    scene.title,
    shoot.name,
    first?.camera,
    first?.lens,
    first?.taken?.slice(0, 16).replace("T", " "),
    `iso ${first?.iso ?? ""}`,
    low_stop != null && high_stop != null ? `${(high_stop - low_stop).toFixed(1)} stops` : "",
    scene.ready ? "merged" : "not merged",
    ...frames.map((frame) => frame.name),
  ]
    .join(" ")
    .toLowerCase();
}

/** The shoots with those of their scenes that are looked at; one without any is left out, unless nothing is sought. */
export function found(shoots: Shoot[], { words, choice, bin }: Looked): Shoot[] {
  const sought = words.toLowerCase().split(/\s+/).filter(Boolean);
  const holds = (scene: SceneSummary, shoot: Shoot) =>
    scene.binned === bin &&
    scene.choice >= choice &&
    (sought.length === 0 || sought.every((word) => wordsOf(scene, shoot).includes(word)));
  const all = sought.length === 0 && choice === 0 && !bin;
  return shoots
    .map((shoot) => ({ ...shoot, scenes: shoot.scenes.filter((scene) => holds(scene, shoot)) }))
    .filter((shoot) => all || shoot.scenes.length > 0);
}

export async function changeScene(
  id: number,
  change: { title?: string; choice?: number; binned?: boolean; series_key?: boolean },
) {
  await told(answered(api.PATCH("/api/scenes/{scene_id}", { params: { path: { scene_id: id } }, body: change })));
  shootsChanged();
}

export async function renameShoot(id: number, name: string) {
  await told(answered(api.PATCH("/api/shoots/{shoot_id}", { params: { path: { shoot_id: id } }, body: { name } })));
  shootsChanged();
}

export async function putTogether(id: number, other: number) {
  const path = { shoot_id: id, other_id: other };
  await told(answered(api.POST("/api/shoots/{shoot_id}/into/{other_id}", { params: { path } })));
  shootsChanged();
}
