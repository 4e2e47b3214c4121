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
export async function lookOf(other: number, title: string) {
  const { scene, treatment } = useScene.getState();
  if (!scene || !treatment) return;
  const next = await toldHere(
    answered(
      api.POST("/api/scenes/{scene_id}/match", {
        params: { path: { scene_id: scene.id } },
        body: { document: treatment, scene: other },
      }),
    ),
  );
  if (!next || useScene.getState().treatment !== treatment) return;
  preview(() => next);
  store(`Look of ${title}`);
}
