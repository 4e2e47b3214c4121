import type { Scene, Treatment } from "../api/client";
import type { ViewName } from "../state/view";

export const STATION_NAMES = ["frames", "merge", "light", "deliver"] as const;
export type StationName = (typeof STATION_NAMES)[number];

interface Station {
  name: StationName;
  title: string;
  /** Whether the user has done something here. */
  touched: (scene: Scene, treatment: Treatment) => boolean;
}

function departs(treatment: Treatment): boolean {
  const t = treatment;
  return (
    t.exposure?.ev != null ||
    t.white_balance?.temperature != null ||
    t.white_balance?.tint != null ||
    t.placement?.shadows != null ||
    t.placement?.highlights != null ||
    (t.placement?.rungs?.length ?? 0) > 0 ||
    t.placement?.reach !== 3 ||
    t.placement?.local !== 1.3 ||
    t.tone?.contrast != null ||
    t.tone?.toe !== 0 ||
    t.tone?.shoulder !== 0 ||
    t.ends?.white != null ||
    t.ends?.black != null
  );
}

/** The stations there are so far, in the order of the work; they can be visited in any order. */
export const STATIONS: Station[] = [
  { name: "frames", title: "Frames", touched: (scene) => scene.frames.length > 0 },
  { name: "merge", title: "Merge", touched: (scene) => scene.ready },
  { name: "light", title: "Light", touched: (_, treatment) => departs(treatment) },
  { name: "deliver", title: "Deliver", touched: () => false },
];

const EVERYWHERE: ViewName[] = ["picture", "limits", "source"];
/** Views that can be looked at in each station. */
export const VIEWS_OF: Record<StationName, ViewName[]> = {
  frames: EVERYWHERE,
  merge: [...EVERYWHERE, "moved", "ground"],
  light: EVERYWHERE,
  deliver: EVERYWHERE,
};
