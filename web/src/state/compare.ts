import { create } from "zustand";

import { answered, api, type Frame, type Step, type Treatment } from "../api/client";
import { ended } from "../api/news";
import { told } from "./messages";
import { askHistory, stateOf } from "./history";
import { perScene } from "./perScene";
import { useScene } from "./scene";
import { switchedOff } from "./switchedOff";
import type { Probe } from "./view";

/** How the other picture is seen: beyond a seam, beside this one, or by how far it differs. */
export type Way = "seam" | "beside" | "difference";

/** What of a scene is seen: what it was merged to, or one frame of it, and what is done to that. */
export interface Shown {
  prepared: string;
  treatment: Treatment;
}

/** A picture that the present one is compared with. */
export interface Other {
  key: string;
  title: string;
  /** What is seen of it beside what is seen now. */
  shown: (now: Shown) => Shown;
}

interface Compare {
  others: Other[];
  way: Way;
  /** A place that the seam goes through, in shares of the pane, and its angle: 0 stands, 90 lies. */
  seam: { x: number; y: number; angle: number };
  /** What lies under the pointer in the others, by their keys. */
  probes: Record<string, Probe | null>;
  /** What is developed just now to be compared with. */
  developing: string | null;
}

const START: Compare = {
  others: [],
  way: "seam",
  seam: { x: 0.5, y: 0.5, angle: 0 },
  probes: {},
  developing: null,
};
/** How pictures stand beside each other: two in a row, more in two. */
export const columnsOf = (count: number) => Math.min(count, 2);
export const rowsOf = (count: number) => Math.ceil(count / 2);

/** Pictures that are seen beside this one at most. */
export const MOST = 3;

export const useCompare = create<Compare>(() => START);
perScene(useCompare);

export const comparing = () => useCompare.getState().others.length > 0;
export const endComparing = () => useCompare.setState({ others: [], probes: {} });

/** Leave out a picture that is compared with; whether it was. */
function noLongerWith(key: string): boolean {
  const { others } = useCompare.getState();
  const left = others.filter((o) => o.key !== key);
  useCompare.setState({ others: left });
  return left.length < others.length;
}

/** Compare with a picture, or no longer if it is compared with already. */
export function compareWith(other: Other) {
  if (noLongerWith(other.key)) return;
  useCompare.setState(({ others, way }) => {
    // Beside it there is room for some; a seam has two sides.
    const kept = way === "beside" ? others.slice(-(MOST - 1)) : [];
    return { others: [...kept, other] };
  });
}

/** Compare with a state of the scene in view. */
export async function compareState(revision: number, title: string) {
  const { scene } = useScene.getState();
  if (!scene) return;
  const treatment = await told(stateOf(scene.id, revision));
  if (treatment && useScene.getState().scene?.id === scene.id)
    compareWith({ key: `state-${revision}`, title, shown: (now) => ({ ...now, treatment }) });
}

/** Compare with the picture as it is now, without what some steps do. */
export function compareWithout(station: string, title: string, steps: readonly string[]) {
  compareWith({
    key: `without-${station}`,
    title: `no ${title}`,
    shown: (now) => ({ ...now, treatment: switchedOff(now.treatment, steps) }),
  });
}

/** Compare with one frame, treated as the scene is, or with what its camera made of it. */
export async function compareFrame(frame: Frame, camera: boolean, steps: readonly Step[]) {
  const { scene } = useScene.getState();
  if (!scene) return;
  const title = camera ? `the camera's ${frame.name}` : frame.name;
  const key = `${camera ? "camera" : "frame"}-${frame.id}`;
  if (noLongerWith(key)) return;
  useCompare.setState({ developing: title });
  const body = { frame: frame.id, camera };
  const path = { scene_id: scene.id };
  const job = await told(answered(api.POST("/api/scenes/{scene_id}/alone", { params: { path }, body })).then(ended));
  if (useScene.getState().scene?.id !== scene.id) return;
  useCompare.setState({ developing: null });
  const result = job?.result as { prepared: string; treatment: Treatment | null } | null | undefined;
  if (!result) return;
  const { prepared, treatment } = result;
  // It lies as the scene does: what the scene's geometry does is done to it as well.
  const framing = steps.filter((step) => step.station === "geometry").map((step) => step.name as keyof Treatment);
  compareWith({
    key,
    title,
    shown: (now) => ({
      prepared,
      treatment: treatment
        ? { ...treatment, ...Object.fromEntries(framing.map((name) => [name, now.treatment[name]])) }
        : now.treatment,
    }),
  });
}

export function setWay(way: Way) {
  useCompare.setState((s) => ({ way, others: way === "beside" ? s.others : s.others.slice(-1) }));
}

/** Compare with how it was at the start, by a seam, or end comparing. */
export async function compareStart() {
  const { scene } = useScene.getState();
  if (comparing()) endComparing();
  else if (scene) {
    const start = (await told(askHistory(scene.id)))?.entries[0]?.revision;
    if (start !== undefined) await compareState(start, "the start");
  }
}

/** The part of a pane of a size on the far side of the seam: corners in shares. */
export function beyondSeam(seam: Compare["seam"], width: number, height: number): [number, number][] {
  const angle = (seam.angle * Math.PI) / 180;
  // Along the seam, and across it to the side that the other picture is seen on.
  const [ax, ay] = [Math.sin(angle), Math.cos(angle)];
  const [nx, ny] = [Math.cos(angle), -Math.sin(angle)];
  const far = 2 * Math.hypot(width, height);
  const [x, y] = [seam.x * width, seam.y * height];
  const corners: [number, number][] = [
    [x - ax * far, y - ay * far],
    [x + ax * far, y + ay * far],
    [x + ax * far + nx * far, y + ay * far + ny * far],
    [x - ax * far + nx * far, y - ay * far + ny * far],
  ];
  return corners.map(([px, py]) => [px / width, py / height]);
}
