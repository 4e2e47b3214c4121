import { create } from "zustand";

import { answered, api, type Film, type Series } from "../api/client";
import { filmsChanged, keySeen, shootsChanged } from "../api/queries";
import { changeScene } from "./library";
import { tell, told } from "./messages";

interface Playing {
  /** Which of the shoot's series. */
  which: number;
  /** The scene that is looked at, by its place. */
  place: number;
  /** Whether it plays. */
  runs: boolean;
  film: Film;
}

export const PLAIN_FILM: Film = { codec: "h264", rate: 24, pixels: 1920, quality: 85 };
/** Pictures a second at which a series is looked at. */
export const LOOKED_RATE = 12;

export const usePlaying = create<Playing>(() => ({ which: 0, place: 0, runs: false, film: PLAIN_FILM }));

export const goTo = (place: number, count: number) =>
  usePlaying.setState({ place: Math.min(Math.max(place, 0), Math.max(count - 1, 0)) });

export const changeFilm = (change: Partial<Film>) =>
  usePlaying.setState(({ film }) => ({ film: { ...film, ...change } }));

/** Make a scene a key of its series, or no longer. */
export async function setKey(shoot: number, scene: number, key: boolean) {
  keySeen(shoot, scene, key);
  await changeScene(scene, { series_key: key });
}

/** Look at the light of a series; treat all of it by its keys if that is wanted. */
export const treatSeries = (shoot: number, { members }: Series, treat: boolean) =>
  told(
    answered(
      api.POST("/api/shoots/{shoot_id}/series", {
        params: { path: { shoot_id: shoot } },
        body: { scenes: members.map((m) => m.id), treat },
      }),
    ),
  );

/** Take back what the scenes were treated with, where nothing was done since. */
export async function takeBack(shoot: number, { members }: Series) {
  const path = { shoot_id: shoot };
  const body = { scenes: members.map((m) => m.id) };
  const count = await told(answered(api.POST("/api/shoots/{shoot_id}/series/back", { params: { path }, body })));
  if (count === undefined) return;
  tell(`${count === 1 ? "One scene is" : `${count} scenes are`} as before; redo is in each one's history.`, "note");
  shootsChanged();
}

/** Make a film of a series as it is treated now. */
export async function makeFilm(shoot: number, { members }: Series) {
  const { film } = usePlaying.getState();
  const body = { scenes: members.map((m) => m.id), film };
  await told(answered(api.POST("/api/shoots/{shoot_id}/films", { params: { path: { shoot_id: shoot } }, body })));
  filmsChanged(shoot);
}

/** Where places of a series lie on a line, 0 to 1: by time. */
export const along = ({ members }: Series): number[] => {
  const whole = members[members.length - 1].at || 1;
  return members.map((m) => m.at / whole);
};

/** The place that is nearest to a share of the line. */
export function placeAt(series: Series, share: number): number {
  const shares = along(series);
  let best = 0;
  shares.forEach((s, i) => {
    if (Math.abs(s - share) < Math.abs(shares[best] - share)) best = i;
  });
  return best;
}

/** So many places, evenly from the first to the last. */
export const evenly = (count: number, most: number): number[] =>
  count <= most
    ? Array.from({ length: count }, (_, i) => i)
    : Array.from({ length: most }, (_, i) => Math.round((i * (count - 1)) / Math.max(most - 1, 1)));

/** How far scenes flicker: the deviation of what was measured from what is smooth, in EV. */
export function flickerOf({ light }: Series): number | null {
  if (!light) return null;
  const off = light.curve.map((ev, i) => ev - light.smooth[i]);
  return Math.sqrt(off.reduce((sum, d) => sum + d * d, 0) / off.length);
}
