import { useQuery } from "@tanstack/react-query";

import { answered, api, type Treatment, type WholePreset } from "../api/client";
import { queries } from "../api/queries";
import { told } from "./messages";
import { hold, preview, release, store, toldHere, useScene } from "./scene";

const KEY = ["presets"];

/** Presets that were kept, and those that ship. */
export const useWholePresets = () =>
  useQuery({
    queryKey: KEY,
    queryFn: async () => (await answered(api.GET("/api/presets"))).presets as { own: boolean; preset: WholePreset }[],
  });

const at = (scene: number) => ({ params: { path: { scene_id: scene } } });

/** Show, and store, what the server makes of the present treatment. */
async function made(work: (scene: number, treatment: Treatment) => Promise<Treatment>, label: string) {
  const { scene, treatment } = useScene.getState();
  if (!scene || !treatment) return;
  const next = await toldHere(work(scene.id, treatment));
  if (!next) return;
  // What was changed meanwhile is newer: it is not to be lost.
  if (useScene.getState().treatment !== treatment) return;
  preview(() => next);
  store(label);
}

export const putOn = (preset: WholePreset, strength: number) =>
  made(
    (id, document) =>
      answered(
        api.POST("/api/scenes/{scene_id}/presets/put-on", {
          ...at(id),
          body: { document, preset: { ...preset }, strength },
        }),
      ),
    `Preset ${preset.name}`,
  );

export const takeOff = (id: string, name: string) =>
  made(
    (scene, document) =>
      answered(
        api.POST("/api/scenes/{scene_id}/presets/strength", { ...at(scene), body: { document, id, strength: null } }),
      ),
    `${name} taken off`,
  );

/** The strength that is wished for while one is on its way to the server. */
let wish: { id: string; strength: number } | null = null;
let asking = false;

/** Show a preset at another strength, as it is dragged: the newest one counts. */
export async function showStrength(id: string, strength: number) {
  wish = { id, strength };
  if (asking) return;
  asking = true;
  try {
    while (wish) {
      const { id: key, strength: value }: { id: string; strength: number } = wish;
      wish = null;
      const { scene, treatment } = useScene.getState();
      if (!scene || !treatment) return;
      const next = await toldHere(
        answered(
          api.POST("/api/scenes/{scene_id}/presets/strength", {
            ...at(scene.id),
            body: { document: treatment, id: key, strength: value },
          }),
        ),
      );
      if (!next) return;
      preview(() => next);
    }
  } finally {
    asking = false;
  }
}

/** A strength is dragged: pictures may be coarse; once it is let go of it is stored. */
export const beginStrength = () => hold();
export async function endStrength(name: string) {
  release();
  while (asking) await new Promise((done) => setTimeout(done, 20));
  store(`Strength of ${name}`);
}

/** Keep a preset of some steps and areas of the present treatment. */
export async function keepPreset(name: string, steps: string[], areas: string[]) {
  const { scene, treatment } = useScene.getState();
  if (!scene || !treatment) return false;
  const preset = await told(
    answered(
      api.POST("/api/scenes/{scene_id}/presets/make", {
        ...at(scene.id),
        body: { document: treatment, name, steps, areas },
      }),
    ),
  );
  return preset ? takeIn(preset) : false;
}

/** Keep a preset that was made, or read from a file. */
export async function takeIn(document: object) {
  const all = await told(answered(api.PUT("/api/presets", { body: { document: { ...document } } })));
  if (all) queries.setQueryData(KEY, all.presets);
  return all !== undefined;
}

export async function forgetPreset(name: string) {
  const all = await told(answered(api.POST("/api/presets/forget", { body: { name } })));
  if (all) queries.setQueryData(KEY, all.presets);
}

/** A small picture of the present treatment with a preset put on, as the address of a blob. */
export async function pictureOf(preset: WholePreset, signal: AbortSignal): Promise<string | null> {
  const { scene, treatment } = useScene.getState();
  if (!scene?.prepared || !treatment) return null;
  const { data } = await api.POST("/api/scenes/{scene_id}/presets/picture", {
    ...at(scene.id),
    body: { document: treatment, preset: { ...preset }, strength: 100 },
    parseAs: "blob",
    signal,
  });
  return data ? URL.createObjectURL(data) : null;
}
