import { create } from "zustand";

import { answered, api } from "../api/client";
import { shootsChanged } from "../api/queries";
import { tell, told } from "./messages";
import { preview, store, toldHere, useScene } from "./scene";

/** Carry steps and areas of the scene in view over to others. */
export async function carryOver(scenes: number[], steps: string[], areas: "none" | "found" | "all", tied: boolean) {
  const { scene, treatment } = useScene.getState();
  if (!scene || !treatment) return;
  const found = await told(
    answered(
      api.POST("/api/scenes/{scene_id}/carry", {
        params: { path: { scene_id: scene.id } },
        body: { document: treatment, scenes, steps, areas, tied },
      }),
    ),
  );
  if (!found) return;
  shootsChanged();
  for (const one of found) if (one.fault) tell(`${one.title}: ${one.fault}`);
  const done = found.filter((one) => !one.fault).length;
  if (done > 0)
    tell(`Carried over to ${done === 1 ? found.find((one) => !one.fault)!.title : `${done} scenes`}.`, "note");
}

/** Bring the scene in view to another's look. */
export async function lookOf(other: number, title: string, byTone: boolean) {
  const { scene, treatment } = useScene.getState();
  if (!scene || !treatment) return;
  const next = await toldHere(
    answered(
      api.POST("/api/scenes/{scene_id}/match", {
        params: { path: { scene_id: scene.id } },
        body: { document: treatment, scene: other, by_tone: byTone },
      }),
    ),
  );
  if (!next || useScene.getState().treatment !== treatment) return;
  preview(() => next);
  store(`Look of ${title}`);
}

/** How many of a row have been brought to the look of the scene in view; null while none is. */
export const useEven = create<{ done: number; of: number } | null>(() => null);

/** Bring a row of scenes to the look of the scene in view, one after the other. */
export async function evenOut(scenes: number[], byTone: boolean) {
  const { scene } = useScene.getState();
  if (!scene || useEven.getState()) return;
  let well = 0;
  for (const [done, id] of scenes.entries()) {
    useEven.setState({ done, of: scenes.length }, true);
    const found = await told(
      answered(
        api.POST("/api/scenes/{scene_id}/look", {
          params: { path: { scene_id: id } },
          body: { scene: scene.id, by_tone: byTone },
        }),
      ),
    );
    if (found?.fault) tell(`${found.title}: ${found.fault}`);
    else if (found) well++;
  }
  useEven.setState(null, true);
  shootsChanged();
  if (well > 0) tell(`${well === 1 ? "One scene has" : `${well} scenes have`} this look.`, "note");
}
