import { create } from "zustand";

import { answered, api } from "../api/client";
import type { Point } from "../picture/map";
import { preview, store, toldHere, useScene } from "./scene";
import { useView } from "./view";
import { perScene } from "./perScene";

/** Sides of patches that can be measured, in full-size pixels. */
export const PATCHES = [5, 15, 25, 51, 101, 201];

interface Reading {
  temperature: number;
  tint: number;
  /** Gains beside it, in EV, and by how much they still fall short. */
  red: number;
  blue: number;
  short: number;
  spread: number | null;
  /** Side of the patch, in full-size pixels. */
  side: number;
}

/** How large a patch is measured, for which of the two lights, and what the last one told. */
export const useWhite = create<{ side: number; second: boolean; last: Reading | null }>(() => ({
  side: 25,
  second: false,
  last: null,
}));
perScene(useWhite, "second", "last");

/** Take the white balance from a patch round a place of the scene. */
export async function readPatch(place: Point) {
  const scene = useScene.getState().scene;
  if (!scene) return;
  const { side, second } = useWhite.getState();
  const body = { place, radius: (side - 1) / 2 };
  const white = await toldHere(
    answered(api.POST("/api/scenes/{scene_id}/neutral", { params: { path: { scene_id: scene.id } }, body })),
  );
  if (!white) return;
  const { temperature, tint, red = 0, blue = 0, short = 0 } = white;
  useWhite.setState({ last: { temperature, tint, red, blue, short, spread: white.spread ?? null, side } });
  preview((t) => ({
    ...t,
    white_balance: {
      ...t.white_balance,
      on: true,
      ...(second ? { second_temperature: temperature, second_tint: tint } : { temperature, tint, red, blue }),
    },
  }));
  store(second ? "White balance: a second light" : "White balance from a neutral patch");
  useView.setState({ tool: "pan" });
}

const READ = { automatic: "automatic", picture: "whole picture", two: "two lights" };

/** Take the white balance that the whole picture asks for. */
export async function readPicture(by: "automatic" | "picture" | "two") {
  const scene = useScene.getState().scene;
  if (!scene) return;
  const white = await toldHere(
    answered(api.POST("/api/scenes/{scene_id}/white", { params: { path: { scene_id: scene.id } }, body: { by } })),
  );
  if (!white) return;
  useWhite.setState({ last: null });
  preview((t) => ({
    ...t,
    white_balance: {
      ...t.white_balance,
      on: true,
      temperature: white.temperature,
      tint: white.tint,
      red: white.red ?? 0,
      blue: white.blue ?? 0,
      ...(by === "two" && { second_temperature: white.second_temperature, second_tint: white.second_tint ?? 0 }),
    },
  }));
  store(`White balance: ${READ[by]}`);
}

/** White light alone again, without gains beside it. */
export function forgetBeyond() {
  preview((t) => ({ ...t, white_balance: { ...t.white_balance, red: 0, blue: 0 } }));
  store("White balance: white light alone");
}

/** One light again. */
export function forgetSecond() {
  preview((t) => ({
    ...t,
    white_balance: { ...t.white_balance, second_temperature: null, second_tint: 0, between: 50, own: 0 },
  }));
  store("White balance: one light");
}
