import { create } from "zustand";

import type { Area, Part } from "../api/client";
import { tell } from "./messages";
import { calls } from "./parts";
import { preview, store, useScene } from "./scene";
import { withValue } from "./values";

/** What the next part does: it begins an area, or joins the selected one. */
export type Joins = "new" | Part["mode"];

interface AreasState {
  /** Index of the area whose contours and dials are shown. */
  selected: number | null;
  /** Index of the part of it whose dials are shown. */
  part: number | null;
  joins: Joins;
  /** Whether the mask is seen over the picture: from when it is made until something is dialled. */
  seeing: boolean;
  /** Part of the selected area that the pointer is on, lit up. */
  pointed: number | null;
  /** Whether the picture is shown without the selected area, or without any, while a key is held. */
  without: "one" | "all" | null;
  /** Areas that were on before all were switched off. */
  were: number[];
}

export const useAreas = create<AreasState>(() => ({ selected: null, part: null, joins: "new", seeing: false, pointed: null, without: null, were: [] }));

// Once anything is dialled, the picture itself is looked at.
useScene.subscribe((now, before) => {
  if (now.held && !before.held && now.heldView !== "area") useAreas.setState({ seeing: false });
});

/** An area has at most so many parts, and a treatment so many areas. */
export const MOST = 24;
/** The dials that a new area has ready, at what bends nothing. */
export const READY = {
  "exposure.ev": 0,
  "placement.shadows": 0,
  "placement.highlights": 0,
  "white_balance.temperature": 0,
  "tone.contrast": 1,
  "saturation.saturation": 1,
};

/** The selected area, if there still is one of its number. */
export function useSelected(): [number, Area] | null {
  const selected = useAreas((s) => s.selected);
  const area = useScene((s) => (selected === null ? undefined : s.treatment?.areas[selected]));
  return selected === null || !area ? null : [selected, area];
}

/** The selected part, if there still is one of its number. */
export function useSelectedPart(): [number, number, Part] | null {
  const selected = useSelected();
  const part = useAreas((s) => s.part);
  const found = selected && part !== null ? selected[1].parts[part] : undefined;
  return selected && part !== null && found ? [selected[0], part, found] : null;
}

export const areas = () => useScene.getState().treatment?.areas ?? [];

export const select = (index: number | null, part: number | null = null) => useAreas.setState({ selected: index, part, joins: "new", seeing: index !== null, pointed: null });

/** A name that no area has yet. */
function named(base: string): string {
  const names = new Set(areas().map((a) => a.name));
  for (let i = 1; ; i++) {
    const name = i === 1 ? base : `${base} ${i}`;
    if (!names.has(name)) return name;
  }
}

const capital = (text: string) => text[0].toUpperCase() + text.slice(1);

/** Put areas at the end of the list, on screen; false if there is no room. */
function append(...more: Area[]): boolean {
  if (areas().length + more.length > MOST) {
    tell(`There are ${MOST} areas at most: take one away first.`, "note");
    return false;
  }
  const first = areas().length;
  preview((t) => more.reduce((now, area, i) => withValue(now, ["areas", first + i], area), t));
  select(first + more.length - 1);
  return true;
}

/** Begin a part: in a new area, or as one more of the selected one. Where it stands, or null if there is no room. */
export function beginPart(part: Part, about: Partial<Area> = {}): [number, number] | null {
  const { selected, joins } = useAreas.getState();
  const into = joins !== "new" && selected !== null ? areas()[selected] : undefined;
  if (into && selected !== null) {
    if (into.parts.length >= MOST) {
      tell(`An area has ${MOST} parts at most.`, "note");
      return null;
    }
    const at = into.parts.length;
    setPart(selected, at, { ...part, mode: joins as Part["mode"] });
    useAreas.setState({ part: at, seeing: true });
    return [selected, at];
  }
  const name = named(about.name ?? capital(calls(part)));
  const made = append({ on: true, opacity: 100, parts: [part], bends: READY, ...about, name });
  if (!made) return null;
  useAreas.setState({ part: 0 });
  return [areas().length - 1, 0];
}

/** Begin a part that needs no drag, and keep it. */
export function addPart(part: Part, about: Partial<Area> = {}) {
  const at = beginPart(part, about);
  if (at) store(capital(calls(part)));
}

/** Change a part on screen; `store` keeps it. */
export const setPart = (area: number, part: number, value: Part) => preview((t) => withValue(t, ["areas", area, "parts", part], value));

export function removePart(area: number, part: number) {
  preview((t) => withValue(t, ["areas", area, "parts", part], undefined));
  useAreas.setState({ part: null, pointed: null });
  store(`A part of ${areas()[area].name} away`);
}

export function removeArea(area: number) {
  const { name } = areas()[area];
  preview((t) => withValue(t, ["areas", area], undefined));
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
  useAreas.setState({ selected: to });
  store(`${moved.name} moved`);
}

/** A copy of an area, or one of all that it does not cover, which bends nothing yet. */
export function duplicateArea(index: number, inverse: boolean) {
  const area = areas()[index];
  const copy: Area = inverse ? { ...area, parts: inverted(area.parts), bends: READY, name: named(`All but ${area.name}`.slice(0, 55)) } : { ...area, name: named(area.name.slice(0, 55)) };
  if (append(copy)) store(inverse ? `All but ${area.name}` : `${area.name} again`);
}

/** Parts of a mask that covers what the others do not. */
export function inverted(parts: Part[]): Part[] {
  const used = parts.filter((p) => p.on);
  if (used.length === 0) return parts;
  // The first part takes away from everything, or is all that both have.
  const [first, ...rest] = used;
  const outside = first.mode === "subtract" ? { ...first, mode: "add" as const } : { ...first, mode: "add" as const, invert: !first.invert };
  return [
    outside,
    ...rest.map((p) => {
      if (p.mode === "add") return { ...p, mode: "intersect" as const, invert: !p.invert };
      if (p.mode === "subtract") return { ...p, mode: "add" as const };
      return { ...p, mode: "add" as const, invert: !p.invert };
    }),
  ];
}

/** Switch all areas off, or those on again that were. */
export function toggleAll() {
  const on = areas().flatMap((a, i) => (a.on ? [i] : []));
  const back = useAreas.getState().were;
  const which = on.length ? [] : back.length ? back : areas().map((_, i) => i);
  useAreas.setState({ were: on.length ? on : [] });
  preview((t) => ({ ...t, areas: t.areas.map((a, i) => ({ ...a, on: which.includes(i) })) }));
  store(on.length ? "All areas off" : "Areas on again");
}

/** Put areas that were copied or kept into the scene. */
export function putAreas(found: Area[], label: string) {
  if (append(...found.map((a) => ({ ...a, name: named(a.name) })))) store(label);
}
