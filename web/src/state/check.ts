import { useQuery } from "@tanstack/react-query";
import { create } from "zustand";

import { answered, api, type Check } from "../api/client";
import { modelsChanged } from "../api/queries";
import type { Point } from "../picture/map";
import { told } from "./messages";
import { toldHere, useScene } from "./scene";

/** A box of the scene: x, y, width and height in shares of its longer side. */
export type SceneBox = [number, number, number, number];

interface CheckState {
  /** The box that is being drawn, or was drawn last. */
  box: SceneBox | null;
  found: Check | null;
  /** Smooth places that were checked: the camera's noise can be fitted on them. */
  places: SceneBox[];
  /** The scene that all this is about. */
  scene: number | null;
}

const NOTHING: CheckState = { box: null, found: null, places: [], scene: null };

export const useCheck = create<CheckState>(() => NOTHING);

/** Begin anew where another scene is looked at. */
export const clearPlaces = () => useCheck.setState(NOTHING);

/** The box between two places of the scene. */
export const boxBetween = ([ax, ay]: Point, [bx, by]: Point): SceneBox => [
  Math.min(ax, bx),
  Math.min(ay, by),
  Math.abs(bx - ax),
  Math.abs(by - ay),
];

/** Show a box that is being drawn; what was drawn on another scene is forgotten. */
export function draw(box: SceneBox) {
  const id = useScene.getState().scene?.id ?? null;
  useCheck.setState((s) => ({ ...(s.scene === id ? s : NOTHING), scene: id, box, found: null }));
}

/** Hold what is predicted against the noise of the box that was drawn. */
export async function check(box: SceneBox) {
  const id = useScene.getState().scene?.id;
  if (id === undefined) return;
  draw(box);
  const found = await toldHere(
    answered(api.POST("/api/scenes/{scene_id}/noise/check", { params: { path: { scene_id: id } }, body: { box } })),
  );
  // Another box may have been drawn meanwhile.
  if (!found || useCheck.getState().box !== box) return;
  const { places } = useCheck.getState();
  useCheck.setState({ found, places: found.smooth ? [...places, box].slice(-100) : places });
}

/** Fit the noise of the camera, on the places that were checked or on all of the picture. */
export async function fit(boxes: SceneBox[]) {
  const id = useScene.getState().scene?.id;
  if (id === undefined) return;
  await told(
    answered(api.POST("/api/scenes/{scene_id}/noise/model", { params: { path: { scene_id: id } }, body: { boxes } })),
  );
}

/** Noise models that are kept for the camera of the scene. */
export function useModels() {
  const id = useScene((s) => s.scene?.id);
  return useQuery({
    queryKey: ["models", id],
    enabled: id !== undefined,
    queryFn: () => answered(api.GET("/api/scenes/{scene_id}/noise/model", { params: { path: { scene_id: id! } } })),
  });
}

export async function forget() {
  const id = useScene.getState().scene?.id;
  if (id === undefined) return;
  const { error } = await api.DELETE("/api/scenes/{scene_id}/noise/model", { params: { path: { scene_id: id } } });
  if (!error) modelsChanged();
}

/** What a check found, in words. */
export function inWords(found: Check): string {
  if (!found.smooth)
    return "There is texture in this place, or the frames were moved here: draw the box on even ground.";
  const mean = found.ratio.reduce((a, b) => a + b) / 3;
  if (Math.abs(mean - 1) < 0.05) return "The noise is as predicted.";
  const by = Math.round(Math.abs(mean - 1) * 100);
  return mean > 1 ? `There is ${by} % more noise than predicted.` : `There is ${by} % less noise than predicted.`;
}
