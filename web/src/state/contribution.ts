import { create } from "zustand";

import { answered, api } from "../api/client";
import { toldHere, useScene } from "./scene";

/** What is pointed at, and what it does to the picture, in words. */
export const useContribution = create<{ of: string | null; says: string | null }>(() => ({ of: null, says: null }));

/** Pointed at for so long, it is asked for, in ms. */
const RESTS = 350;
let timer: ReturnType<typeof setTimeout> | undefined;

const percent = (share: number) => (share < 0.01 && share > 0 ? "under 1 %" : `${Math.round(share * 100)} %`);

/** Tell what steps do to the picture, once the pointer rests on them. */
export function pointAt(title: string, steps: readonly string[]) {
  clearTimeout(timer);
  useContribution.setState({ of: title, says: null });
  timer = setTimeout(() => void ask(title, steps), RESTS);
}

export function pointAway() {
  clearTimeout(timer);
  useContribution.setState({ of: null, says: null });
}

async function ask(title: string, steps: readonly string[]) {
  const { scene, treatment } = useScene.getState();
  if (!scene?.prepared || !treatment) return;
  const found = await toldHere(
    answered(
      api.POST("/api/scenes/{scene_id}/contributions", {
        params: { path: { scene_id: scene.id } },
        body: { document: treatment, groups: [[...steps]] },
      }),
    ),
  );
  if (!found || useContribution.getState().of !== title) return;
  const [one] = found;
  const says =
    one.share === 0 && one.noise === 1
      ? "changes nothing that is seen at this size"
      : `changes ${percent(one.share)} of the picture, mean ΔE ${one.delta_e.toFixed(1)}`;
  useContribution.setState({ says });
}
