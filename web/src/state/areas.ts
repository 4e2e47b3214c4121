import { create } from "zustand";

import type { Area, Part } from "../api/client";
import { preview, store, useScene } from "./scene";
import { withValue } from "./values";

interface AreasState {
  /** Index of the area whose contours and dials are shown. */
  selected: number | null;
  /** Whether the next shape joins the selected area instead of beginning a new one. */
  joins: boolean;
}

export const useAreas = create<AreasState>(() => ({ selected: null, joins: false }));

/** An area has at most so many parts, and a treatment so many areas. */
export const MOST = 8;
/** The dials that a new area has ready, at what bends nothing. */
const READY = { "exposure.ev": 0, "white_balance.temperature": 0, "tone.contrast": 1 };

/** The selected area, if there still is one of its number. */
export function useSelected(): [number, Area] | null {
  const selected = useAreas((s) => s.selected);
  const area = useScene((s) => (selected === null ? undefined : s.treatment?.areas[selected]));
  return selected === null || !area ? null : [selected, area];
}

const areas = () => useScene.getState().treatment?.areas ?? [];

/** Begin a shape: in a new area, or as one more part of the selected one. Where it stands, or null if there is no room. */
export function beginPart(part: Part): [number, number] | null {
  const { selected, joins } = useAreas.getState();
  const into = joins && selected !== null ? areas()[selected] : undefined;
  if (into ? into.parts.length >= MOST : areas().length >= MOST) return null;
  const index = into ? selected! : areas().length;
  const at = into ? into.parts.length : 0;
  const name = `${part.kind === "gradient" ? "Gradient" : "Ellipse"} ${index + 1}`;
  if (into) setPart(index, at, part);
  else preview((t) => withValue(t, ["areas", index], { name, on: true, parts: [part], bends: READY }));
  useAreas.setState({ selected: index });
  return [index, at];
}

/** Change a part on screen; `store` keeps it. */
export const setPart = (area: number, part: number, value: Part) => preview((t) => withValue(t, ["areas", area, "parts", part], value));

export function removePart(area: number, part: number) {
  preview((t) => withValue(t, ["areas", area, "parts", part], undefined));
  store(`A part of ${areas()[area].name} away`);
}

export function removeArea(area: number) {
  const { name } = areas()[area];
  preview((t) => withValue(t, ["areas", area], undefined));
  useAreas.setState({ selected: null, joins: false });
  store(`${name} away`);
}
