import { create } from "zustand";
import { persist } from "zustand/middleware";

import type { Area, Brush, BrushStroke, Part } from "../api/client";
import { evAt } from "../ladder/scale";
import type { ToolName } from "../names";
import { type Step, simplified, written } from "../picture/stroke";
import { addTo, areaOf, areas, beginPart, partOf, select, setPart, useAreas } from "./areas";
import { tell } from "./messages";
import { brushOf, lightOf, OPEN } from "./parts";
import { hold, release, store, useScene } from "./scene";
import { useView } from "./view";
import { perScene } from "./perScene";

/** How the brush paints; it stays as it was set. */
export interface BrushSettings {
  /** In shares of the scene's longer side. */
  radius: number;
  hardness: number;
  feather: number;
  flow: number;
  limit: number;
  edges: number;
}

export type Way = "brighten" | "darken";
export const TONES = { all: "all light", darks: "darks", middles: "middle tones", lights: "lights" } as const;
export type Tones = keyof typeof TONES;

interface Painting {
  brush: BrushSettings;
  /** The brush of dodge and burn. */
  dodgeBurn: BrushSettings;
  /** The brush of mends. */
  mend: BrushSettings;
  /** That of painted glow; it has no edge. */
  glow: BrushSettings;
  way: Way;
  tones: Tones;
}

export const usePainting = create<Painting>()(
  persist(
    (): Painting => ({
      brush: { radius: 0.04, hardness: 40, feather: 20, flow: 100, limit: 100, edges: 0 },
      dodgeBurn: { radius: 0.04, hardness: 0, feather: 20, flow: 12, limit: 100, edges: 0 },
      mend: { radius: 0.008, hardness: 80, feather: 0, flow: 100, limit: 100, edges: 0 },
      glow: { radius: 0.02, hardness: 0, feather: 0, flow: 60, limit: 100, edges: 0 },
      way: "brighten",
      tones: "all",
    }),
    { name: "crenn-brush" },
  ),
);

/** The stroke under way, drawn over the picture at once. */
interface Under {
  steps: Step[];
  rubs: boolean;
}

export const useStroke = create<{ under: Under | null; at: [number, number] | null; last: [number, number] | null }>(
  () => ({ under: null, at: null, last: null }),
);
perScene(useStroke);

/** A brush has at most so many strokes. */
export const MOST_STROKES = 500;
/** All strokes of a treatment together hold at most so many numbers, and one at most so many. */
export const MOST_NUMBERS = 600_000;
const MOST_OF_A_STROKE = 2000;

/** Numbers that tell the places of all strokes. */
export const numbersOf = (list: Area[]) =>
  list.reduce(
    (sum, area) =>
      sum +
      area.parts.reduce(
        (all, part) => (part.kind === "brush" ? all + part.strokes.reduce((n, s) => n + s.points.length, 0) : all),
        0,
      ),
    0,
  );
/** EV by which the areas of dodge and burn bend. */
const BY = 1;

const closeness = (settings: BrushSettings) => Math.max(settings.radius / 40, 0.0001);

/** Begin a stroke: in the selected area, or a new one. What takes further steps, or null if there is no room. */
export function beginStroke(first: Step, rubs: boolean): Under | null {
  const at = target();
  if (!at) return null;
  // What is turned inside out loses by what is painted.
  const inside = areaOf(at[0])?.invert ? !rubs : rubs;
  return paintInto(at, usePainting.getState().brush, first, inside, "area");
}

/**
 * The brush that strokes go to: of the selected area the chosen one, or the last, which takes from all of its mask what
 * is rubbed out, whatever that is made of; else that of a new area.
 */
function target(): [string, string] | null {
  const { selected, part, joins } = useAreas.getState();
  const area = areaOf(selected);
  if (area && joins === "new") {
    const last = area.parts[area.parts.length - 1];
    const paintable = (p: Part | undefined) => p?.kind === "brush" && p.on && (p.over || area.parts.length === 1);
    const chosen = area.parts.find((p) => p.id === part);
    const into = chosen?.kind === "brush" && !chosen.over ? chosen : paintable(last) ? last : undefined;
    if (into) return [area.id, into.id];
    const id = addTo(area, { ...brushOf([]), over: true } as Part);
    if (id === null) return null;
    useAreas.setState({ part: id });
    return [area.id, id];
  }
  const made = beginPart(brushOf([]));
  if (made) useAreas.setState({ joins: "new" });
  return made;
}

function paintInto(
  [area, part]: [string, string],
  settings: BrushSettings,
  first: Step,
  rubs: boolean,
  view: string | null,
): Under | null {
  const brush = partOf(area, part) as Brush;
  const before = brush.strokes;
  if (before.length >= MOST_STROKES) {
    tell(`A brush has ${MOST_STROKES} strokes at most: begin another.`, "note");
    return null;
  }
  if (numbersOf(areas()) > MOST_NUMBERS - MOST_OF_A_STROKE) {
    tell("The strokes of this treatment are as many as can be kept: take a brush away first.", "note");
    return null;
  }
  const steps = [first];
  const show = () => {
    const stroke: BrushStroke = { ...settings, ...written(simplified(steps, closeness(settings))), rubs };
    setPart(area, part, { ...brush, strokes: [...before, stroke] });
  };
  hold(view);
  const under: Under = { steps, rubs };
  useStroke.setState({ under });
  show();
  continues = (step) => {
    steps.push(step);
    useStroke.setState({ under: { steps: [...steps], rubs } });
    show();
  };
  ends = () => {
    useStroke.setState({ under: null, last: steps[steps.length - 1].at });
    release();
    store(rubs ? "Rubbed out" : "A stroke");
  };
  return under;
}

let continues: (step: Step) => void = () => {};
let ends: () => void = () => {};
export const continueStroke = (step: Step) => continues(step);
export const endStroke = () => ends();

/** What an area of dodge and burn is called. */
export const touchName = (way: Way, tones: Tones) =>
  tones === "all"
    ? way === "brighten"
      ? "Brightened"
      : "Darkened"
    : `${way === "brighten" ? "Brightened" : "Darkened"} ${TONES[tones]}`;

/** The stops of the scene that are placed on a third of the tones: the darkest, the middle or the brightest. */
function rangeOf(tones: Tones): [number, number] {
  const report = useScene.getState().scene?.report;
  const { ladder } = useView.getState();
  const [low, high] = [report?.low_stop ?? -9, report?.high_stop ?? 0];
  // Without a picture there are no tones yet: then thirds of what was recorded.
  const dark = ladder.length ? evAt(ladder, 100 / 3) : low + (high - low) / 3;
  const light = ladder.length ? evAt(ladder, 200 / 3) : high - (high - low) / 3;
  if (tones === "darks") return [OPEN[0], dark];
  if (tones === "lights") return [light, OPEN[1]];
  return [dark, light];
}

/** Begin a stroke that brightens or darkens, in small amounts that add up: in an area of its own. */
export function beginTouch(first: Step, rubs: boolean): Under | null {
  const { way, tones, dodgeBurn } = usePainting.getState();
  const name = touchName(way, tones);
  let own = areas().find((a) => a.name === name && a.parts[0]?.kind === "brush");
  if (!own) {
    const bends: Area["bends"] = { "exposure.ev": way === "brighten" ? BY : -BY };
    useAreas.setState({ joins: "new" });
    const made = beginPart(brushOf([]), { name, bends });
    own = made ? areaOf(made[0]) : undefined;
    if (!own) return null;
    if (tones !== "all") addTo(own, lightOf(...rangeOf(tones), { mode: "intersect" }));
  }
  if (useAreas.getState().selected !== own.id) select(own.id, own.parts[0].id);
  useAreas.setState({ seeing: false });
  return paintInto([own.id, own.parts[0].id], dodgeBurn, first, rubs, null);
}

/** Brighten instead of darkening, or the other way. */
export const turnAbout = () => usePainting.setState((s) => ({ way: s.way === "brighten" ? "darken" : "brighten" }));

/** Which brush each tool paints with. */
const BRUSHES: Partial<Record<ToolName, "brush" | "dodgeBurn" | "mend" | "glow">> = {
  paint: "brush",
  dodgeBurn: "dodgeBurn",
  mend: "mend",
  mendCopy: "mend",
  glowBrush: "glow",
};
export const brushOfTool = (tool: ToolName) => BRUSHES[tool];
const inHand = () => brushOfTool(useView.getState().tool) ?? "brush";

/** Make the brush in hand larger by a factor. */
export function resizeBrush(by: number) {
  const which = inHand();
  usePainting.setState((s) => ({
    [which]: { ...s[which], radius: Math.min(0.5, Math.max(0.0005, s[which].radius * by)) },
  }));
}

/** Make the brush in hand harder by so many hundredths, or softer. */
export function hardenBrush(by: number) {
  const which = inHand();
  usePainting.setState((s) => ({
    [which]: { ...s[which], hardness: Math.min(100, Math.max(0, s[which].hardness + by)) },
  }));
}
