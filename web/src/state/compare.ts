import { create } from "zustand";

import type { Treatment } from "../api/client";
import { told } from "./messages";
import { askHistory, stateOf } from "./history";
import { perScene } from "./perScene";
import { useScene } from "./scene";
import type { Probe } from "./view";

/** How the other picture is seen: beyond a seam, beside this one, or by how far it differs. */
export type Way = "seam" | "beside" | "difference";

/** A picture that the present one is compared with. */
export interface Other {
  key: string;
  title: string;
  treatment: Treatment;
}

interface Compare {
  others: Other[];
  way: Way;
  /** A place that the seam goes through, in shares of the pane, and its angle: 0 stands, 90 lies. */
  seam: { x: number; y: number; angle: number };
  /** What lies under the pointer in the others, by their keys. */
  probes: Record<string, Probe | null>;
}

const START: Compare = { others: [], way: "seam", seam: { x: 0.5, y: 0.5, angle: 0 }, probes: {} };
/** Pictures that are seen beside this one at most. */
export const MOST = 3;

export const useCompare = create<Compare>(() => START);
perScene(useCompare);

export const comparing = () => useCompare.getState().others.length > 0;
export const endComparing = () => useCompare.setState({ others: [], probes: {} });

/** Compare with a picture, or no longer if it is compared with already. */
export function compareWith(other: Other) {
  useCompare.setState(({ others, way }) => {
    if (others.some((o) => o.key === other.key)) return { others: others.filter((o) => o.key !== other.key) };
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
    compareWith({ key: `state-${revision}`, title, treatment });
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
