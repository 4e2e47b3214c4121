import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { create } from "zustand";

import { answered, api, type Area, type Dial, type HueRange, type Tint } from "../api/client";
import { queries, useSteps, usual } from "../api/queries";
import { apart, turned } from "../circle/polar";
import type { Point } from "../picture/map";
import { told } from "./messages";
import { preview, store, toldHere, useScene } from "./scene";
import { withValue } from "./values";
import { perScene } from "./perScene";

/** The lists whose items stand on the circle of hues. */
export type List = "ranges" | "points";
export const STEP: Record<List, "hues" | "tints"> = { ranges: "hues", points: "tints" };
/** A treatment has at most so many of them. */
const MOST: Record<List, number> = { ranges: 24, points: 12 };
/** A name has at most so many letters. */
export const LONGEST = 40;
/** Patches that are picked have this radius, in full-size pixels. */
export const RADIUS = 12;
/** Points of tints lie at least so far apart, in EV. */
const APART = 0.5;

interface Picked {
  code: readonly number[];
  hue: number;
  saturation: number;
  spread: number;
}

interface ColourState {
  /** Which range or tint is worked on: by its name, as the list may change its order. */
  chosen: { list: List; name: string } | null;
  /** What the last pick told. */
  picked: Picked | null;
  /** Whether the circle shows where colours lay before this station. */
  before: boolean;
}

export const useColour = create<ColourState>(() => ({ chosen: null, picked: null, before: false }));
perScene(useColour);

export const choose = (list: List, name: string) => useColour.setState({ chosen: { list, name } });

/** Index and item of what is chosen, if it is still there. */
export function useChosen(): { list: List; index: number; item: HueRange | Tint } | null {
  const chosen = useColour((s) => s.chosen);
  const items = useScene((s) => (chosen && s.treatment ? itemsOf(s.treatment, chosen.list) : null));
  const index = items?.findIndex((item) => item.name === chosen?.name) ?? -1;
  return chosen && items && index >= 0 ? { list: chosen.list, index, item: items[index] } : null;
}

type Treated = NonNullable<ReturnType<typeof useScene.getState>["treatment"]>;
const itemsOf = (t: Treated, list: List): (HueRange | Tint)[] => (list === "ranges" ? t.hues.ranges : t.tints.points);
const items = (list: List) => {
  const { treatment } = useScene.getState();
  return treatment ? itemsOf(treatment, list) : [];
};

/** The dials of the items of a list, as the server says. */
export const useItemDials = (list: List): Dial[] =>
  useSteps().data?.find((s) => s.name === STEP[list])?.items[list] ?? [];

/** Change items on screen; `store` keeps them. The step is on then. */
export function setItems(list: List, change: (items: (HueRange | Tint)[]) => (HueRange | Tint)[]) {
  preview((t) => withValue(withValue(t, [STEP[list], list], change(itemsOf(t, list))), [STEP[list], "on"], true));
}

/** Change some of an item's values on screen. */
export const setItem = (list: List, index: number, values: Partial<HueRange & Tint>) =>
  setItems(list, (all) => all.map((item, i) => (i === index ? { ...item, ...values } : item)));

/** A name that no item has yet. */
export function freeName(taken: string[], wanted: string): string {
  if (!taken.includes(wanted)) return wanted;
  for (let n = 2; ; n++) if (!taken.includes(`${wanted} ${n}`)) return `${wanted} ${n}`;
}

function add(list: List, item: HueRange | Tint, says: string) {
  setItems(list, (all) => [...all, item]);
  choose(list, item.name);
  store(says);
}

/** Areas with their bends of an item told by another name; without them if it is null. */
export function withBendsOf(areas: Area[], list: List, name: string, to: string | null): Area[] {
  const before = `${STEP[list]}.${name}.`;
  return areas.map((area) => {
    const kept = Object.entries(area.bends).flatMap(([path, by]) => {
      if (!path.startsWith(before)) return [[path, by] as const];
      return to === null ? [] : [[`${STEP[list]}.${to}.${path.slice(before.length)}`, by] as const];
    });
    return { ...area, bends: Object.fromEntries(kept) };
  });
}

export function removeItem(list: List, index: number) {
  const { name } = items(list)[index];
  setItems(list, (all) => all.filter((_, i) => i !== index));
  preview((t) => ({ ...t, areas: withBendsOf(t.areas, list, name, null) }));
  useColour.setState({ chosen: null });
  store(`${name} away`);
}

/** Give an item another name, also where areas bend it; false if it cannot be called that. */
export function rename(list: List, index: number, name: string): boolean {
  const all = items(list);
  if (name.includes(".") || all.some((item) => item.name === name)) return false;
  setItem(list, index, { name });
  preview((t) => ({ ...t, areas: withBendsOf(t.areas, list, all[index].name, name) }));
  choose(list, name);
  store(`${name}, renamed`);
  return true;
}

/** Viewport what the server has ready, beside what there is. */
export async function layUsual(list: List) {
  const ready = await told(queries.fetchQuery(usual));
  if (!ready) return;
  const there = items(list);
  const names = there.map((item) => item.name);
  const free = (item: Tint) => !(there as Tint[]).some((p) => Math.abs(p.stop - item.stop) < APART);
  const laid =
    list === "ranges"
      ? ready.ranges.filter((r) => !names.includes(r.name))
      : ready.tints.filter((t) => !names.includes(t.name) && free(t));
  const room = laid.slice(0, MOST[list] - there.length);
  if (!room.length) return;
  setItems(list, (all) => byStop(list, [...all, ...room]));
  choose(list, room[0].name);
  store(list === "ranges" ? "Usual ranges of hues" : "Shadows, midtones, highlights");
}

/** Tints stand by rising stop in the document. */
export const byStop = (list: List, all: (HueRange | Tint)[]) =>
  list === "points" ? [...(all as Tint[])].sort((a, b) => a.stop - b.stop) : all;

/** What hue is called: as the usual range that it is nearest to. */
export function nameOf(hue: number, ranges: { name: string; hue: number }[]): string {
  return ranges.reduce((best, r) => (Math.abs(apart(hue, r.hue)) < Math.abs(apart(hue, best.hue)) ? r : best)).name;
}

/** A range as wide as a patch's hues are spread. */
export function rangeOf(name: string, picked: Pick<Picked, "hue" | "spread">): HueRange {
  const width = Math.round(Math.min(Math.max(4 * picked.spread, 16), 90));
  return {
    name,
    on: true,
    hue: turned(Math.round(picked.hue * 2) / 2, 0),
    width,
    soft: 30,
    least: 0,
    most: 120,
    shift: 0,
    saturation: 1,
    lightness: 0,
  };
}

/** Which range a hue lies within, nearest to its middle; half of what fades counts. */
export const rangeAt = (ranges: readonly HueRange[], hue: number): HueRange | undefined =>
  ranges
    .filter((r) => r.on && Math.abs(apart(hue, r.hue)) <= (r.width + r.soft) / 2)
    .sort((a, b) => Math.abs(apart(hue, a.hue)) - Math.abs(apart(hue, b.hue)))[0];

/** Pick the colour of a place: the range that has it, or else a new one of its hue. Its name, if there is one. */
export async function pickRange(place: Point): Promise<string | undefined> {
  const { scene, treatment } = useScene.getState();
  if (!scene || !treatment) return;
  const body = { place, radius: RADIUS, document: treatment };
  const [found, ready] = await Promise.all([
    toldHere(
      answered(api.POST("/api/scenes/{scene_id}/colour/pick", { params: { path: { scene_id: scene.id } }, body })),
    ),
    told(queries.fetchQuery(usual)),
  ]);
  if (!found || !ready) return;
  useColour.setState({ picked: found });
  const there = items("ranges") as HueRange[];
  const own = rangeAt(there, found.hue);
  if (own) {
    choose("ranges", own.name);
    return own.name;
  }
  if (there.length >= MOST.ranges) return;
  const name = freeName(
    there.map((r) => r.name),
    nameOf(found.hue, ready.ranges),
  );
  add("ranges", rangeOf(name, found), `${name} picked`);
  return name;
}

/** Change a range of hues on screen, from what it was. */
export const setRange = (was: HueRange, values: Partial<HueRange>) =>
  setItems("ranges", (all) => all.map((item) => (item.name === was.name ? { ...was, ...values } : item)));

export const rangeNamed = (name: string) => (items("ranges") as HueRange[]).find((r) => r.name === name);

/** A tint of the tones about a stop of the picture, or about the one that is farthest from all others. */
export function addTint(at?: number) {
  const there = items("points") as Tint[];
  if (there.length >= MOST.points) return;
  const stop = at ?? farthest(there.map((p) => p.stop));
  if (there.some((p) => Math.abs(p.stop - stop) < APART)) return;
  const name = freeName(
    there.map((p) => p.name),
    "Tint",
  );
  setItems("points", (all) => byStop("points", [...all, { name, on: true, stop, hue: 250, amount: 0, lightness: 0 }]));
  choose("points", name);
  store(`${name} laid`);
}

/** The tone between black and white that is farthest from all that are tinted, on half stops. */
export function farthest(stops: number[]): number {
  let best = -3.5;
  let distance = -1;
  for (let s = -9; s <= 0; s += 0.5) {
    const d = Math.min(...stops.map((t) => Math.abs(t - s)), 99);
    if (d > distance && stops.length) [best, distance] = [s, d];
  }
  return best;
}

/** Where a tint may be moved: not onto its neighbours. */
export function freeStop(stops: number[], index: number, wanted: number): number {
  const low = index > 0 ? stops[index - 1] + APART : -12;
  const high = index < stops.length - 1 ? stops[index + 1] - APART : 2;
  return Math.round(Math.min(Math.max(wanted, low), high) * 20) / 20;
}

/** Where the picture's colours lie; while a dial moves, what was known last stays. */
export function useDistribution() {
  const id = useScene((s) => s.scene?.id);
  const prepared = useScene((s) => s.scene?.prepared);
  const treatment = useScene((s) => s.treatment);
  const held = useScene((s) => s.held);
  return useQuery({
    queryKey: ["distribution", id, prepared, treatment],
    enabled: !!prepared && !held && id !== undefined && treatment !== null,
    queryFn: () =>
      answered(
        api.POST("/api/scenes/{scene_id}/colour/distribution", {
          params: { path: { scene_id: id! } },
          body: { document: treatment! },
        }),
      ),
    placeholderData: keepPreviousData,
    gcTime: 10_000,
  });
}
