import { create } from "zustand";

import { answered, api } from "../api/client";
import { type Looked, shootsChanged } from "../api/queries";
import { told } from "./messages";

export const NOTHING_SOUGHT: Looked = { words: "", choice: 0, bin: false };

export const useLooked = create<Looked>(() => NOTHING_SOUGHT);

/** Marks of choice that a scene can have. */
export const MOST_CHOICE = 3;

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
