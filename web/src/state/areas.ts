import { create } from "zustand";
import { persist } from "zustand/middleware";

import type { Area, Part } from "../api/client";
import { tell } from "./messages";
import { calls } from "./parts";
import { preview, store, useScene } from "./scene";
import { withValue } from "./values";
import { perScene } from "./perScene";

/** What the next part does: it begins an area, or joins the selected one. */
export type Joins = "new" | Part["mode"];

interface AreasState {
  /** Id of the area whose contours and dials are shown. */
  selected: string | null;
  /** Id of the part of it whose dials are shown. */
  part: string | null;
  joins: Joins;
  /** Whether the mask is seen over the picture: from when it is made until something is dialled. */
  seeing: boolean;
  /** Id of the part of the selected area that the pointer is on, lit up. */
  pointed: string | null;
  /** Id of the area that the pointer is on in the list. */
  over: string | null;
  /** Whether the picture is shown without the selected area, or without any, while a key is held. */
  without: "one" | "all" | null;
  /** Ids of areas that were on before all were switched off. */
  were: string[];
}

export const useAreas = create<AreasState>(() => ({
  selected: null,
  part: null,
  joins: "new",
  seeing: false,
  pointed: null,
  over: null,
  without: null,
  were: [],
}));
perScene(useAreas);

// Once anything is dialled, the picture itself is looked at.
useScene.subscribe((now, before) => {
  if (now.held && !before.held && now.heldView !== "area") useAreas.setState({ seeing: false });
});

/** An area has at most so many parts, and a treatment so many areas. */
export const MOST = 24;
/** The dials that a new area has ready at first, at what bends nothing. */
export const READY: Area["bends"] = {
  "exposure.ev": 0,
  "placement.shadows": 0,
  "placement.highlights": 0,
  "white_balance.temperature": 0,
  "tone.contrast": 1,
  "saturation.saturation": 1,
};

/** The dials that the last area had that dials were chosen for. */
const useLast = create<{ bends: Area["bends"] }>()(
  persist(() => ({ bends: READY }), { name: "crenn-area-dials", version: 1 }),
);
/** Those of the whole picture's steps alone stand ready: ranges and tints go by the scene. */
const ready = (): Area["bends"] =>
  Object.fromEntries(Object.entries(useLast.getState().bends).filter(([path]) => path.split(".").length === 2));

/** Remember which dials an area bends, for the next one; at what bends nothing. */
export const remember = (bends: Area["bends"]) => useLast.setState({ bends });

/** The selected area, if it is still there. */
export function useSelected(): Area | null {
  const selected = useAreas((s) => s.selected);
  return useScene((s) => s.treatment?.areas.find((a) => a.id === selected)) ?? null;
}

/** The selected area and part, if they are still there. */
export function useSelectedPart(): [Area, Part] | null {
  const area = useSelected();
  const part = useAreas((s) => s.part);
  const found = area?.parts.find((p) => p.id === part);
  return area && found ? [area, found] : null;
}

export const areas = () => useScene.getState().treatment?.areas ?? [];
export const areaOf = (id: string | null) => areas().find((a) => a.id === id);
export const partOf = (area: string | null, part: string | null) => areaOf(area)?.parts.find((p) => p.id === part);

export const select = (id: string | null, part: string | null = null) =>
  useAreas.setState({ selected: id, part, joins: "new", seeing: id !== null, pointed: null });

/** An id that nothing else has. */
export const newId = () => [...crypto.getRandomValues(new Uint8Array(8))].map((v) => (v % 36).toString(36)).join("");

/** An area with ids of its own. */
const anew = (area: Area): Area => ({ ...area, id: newId(), parts: area.parts.map((p) => ({ ...p, id: newId() })) });

/** A name that no area has yet. */
function named(base: string): string {
  const names = new Set(areas().map((a) => a.name));
  for (let i = 1; ; i++) {
    const name = i === 1 ? base : `${base} ${i}`;
    if (!names.has(name)) return name;
  }
}

const capital = (text: string) => text[0].toUpperCase() + text.slice(1);

/** Put areas at the end of the list, on screen, with ids of their own; the last of them, or null if there is no room. */
function append(...more: Area[]): Area | null {
  if (areas().length + more.length > MOST) {
    tell(`There are ${MOST} areas at most: take one away first.`, "note");
    return null;
  }
  const made = more.map(anew);
  preview((t) => ({ ...t, areas: [...t.areas, ...made] }));
  const last = made[made.length - 1];
  select(last.id);
  return last;
}

/** Put one more part into an area, on screen; its id, or null if there is no room. */
export function addTo(area: Area, part: Part): string | null {
  if (area.parts.length >= MOST) {
    tell(`An area has ${MOST} parts at most.`, "note");
    return null;
  }
  const id = newId();
  preview((t) => withValue(t, ["areas", area.id, "parts"], [...area.parts, { ...part, id }]));
  return id;
}

/** Begin a part: in a new area, or as one more of the selected one. The ids of both, or null if there is no room. */
export function beginPart(part: Part, about: Partial<Area> = {}): [string, string] | null {
  const { selected, joins } = useAreas.getState();
  const into = joins !== "new" ? areaOf(selected) : undefined;
  if (into) {
    const id = addTo(into, { ...part, mode: joins as Part["mode"] });
    if (id === null) return null;
    useAreas.setState({ part: id, seeing: true });
    return [into.id, id];
  }
  const name = named(about.name ?? capital(calls(part)));
  const made = append({
    id: "",
    on: true,
    opacity: 100,
    acts: "light",
    without: [],
    invert: false,
    parts: [part],
    bends: ready(),
    take: null,
    ...about,
    name,
  });
  if (!made) return null;
  useAreas.setState({ part: made.parts[0].id });
  return [made.id, made.parts[0].id];
}

/** Begin a part that needs no drag, and keep it. */
export function addPart(part: Part, about: Partial<Area> = {}) {
  const at = beginPart(part, about);
  if (at) store(capital(calls(part)));
}

/** Change a part on screen; `store` keeps it. */
export const setPart = (area: string, part: string, value: Part) =>
  preview((t) => withValue(t, ["areas", area, "parts", part], { ...value, id: part }));

export function removePart(area: Area, part: string) {
  preview((t) => withValue(t, ["areas", area.id, "parts", part], undefined));
  useAreas.setState({ part: null, pointed: null });
  store(`A part of ${area.name} away`);
}

export function removeArea({ id, name }: Area) {
  preview((t) => withValue(t, ["areas", id], undefined));
  select(null);
  store(`${name} away`);
}

/** Move an area in the list; those later act on what earlier ones have made. */
export function moveArea(from: number, to: number) {
  if (to < 0 || to >= areas().length || from === to) return;
  const list = [...areas()];
  const [moved] = list.splice(from, 1);
  list.splice(to, 0, moved);
  preview((t) => ({ ...t, areas: list }));
  useAreas.setState({ selected: moved.id });
  store(`${moved.name} moved`);
}

/** A copy of an area, or one of all that it does not cover, which bends nothing yet. */
export function duplicateArea(area: Area, inverse: boolean) {
  const copy: Area = inverse
    ? { ...area, invert: !area.invert, bends: ready(), name: named(`All but ${area.name}`.slice(0, 55)) }
    : { ...area, name: named(area.name.slice(0, 55)) };
  if (append(copy)) store(inverse ? `All but ${area.name}` : `${area.name} again`);
}

/** Turn the mask of an area inside out; what it bends stays. */
export function turnInsideOut(area: Area) {
  preview((t) => withValue(t, ["areas", area.id, "invert"], !area.invert));
  useAreas.setState({ seeing: true });
  store(`${area.name} inside out`);
}

/** Give an area the dials that another bends. */
export function takeBends(area: Area, from: Area) {
  if (area.id === from.id) return;
  preview((t) => withValue(t, ["areas", area.id, "bends"], from.bends));
  store(`${area.name} as ${from.name}`);
}

/** Switch all areas off, or those on again that were. */
export function toggleAll() {
  const on = areas()
    .filter((a) => a.on)
    .map((a) => a.id);
  const back = useAreas.getState().were;
  const which = on.length ? [] : back.length ? back : areas().map((a) => a.id);
  useAreas.setState({ were: on.length ? on : [] });
  preview((t) => ({ ...t, areas: t.areas.map((a) => ({ ...a, on: which.includes(a.id) })) }));
  store(on.length ? "All areas off" : "Areas on again");
}

/** Put areas that were copied or kept into the scene. */
export function putAreas(found: Area[], label: string) {
  if (append(...found.map((a) => ({ ...a, name: named(a.name) })))) store(label);
}
