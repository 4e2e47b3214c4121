import { create } from "zustand";

import type { ToolName, ViewName } from "../names";
import type { Box } from "../picture/crop";
import type { PlaneMap, Point } from "../picture/map";
import { perScene } from "./perScene";

/** What lies under the pointer, as the server measured it. */
export interface Probe {
  x: number;
  y: number;
  /** In the scene, in shares of its longer side. */
  place: Point;
  stop: number;
  tone: number;
  snr_db: number | null;
  frame: string | null;
  seconds?: number | null;
  /** Whether something moved there between the frames. */
  moved?: boolean;
  /** Stops of luminance, red, green and blue that enter the curve. */
  entering: [number, number, number, number];
  /** Hue, chroma and lightness of the picture, in Oklab; its sRGB code; whether that space could not show it. */
  colour: [number, number, number];
  code: [number, number, number];
  outside: boolean;
  /** Hue and saturation of what enters the hues. */
  on_circle: [number, number];
  clipped: string;
  white: string;
  black: boolean;
}

interface ViewState {
  view: ViewName;
  /** View that is shown while a key is held. */
  glance: ViewName | null;
  /** Names of steps without which the picture is shown while a heading is held. */
  without: readonly string[] | null;
  /** Zoom in screen pixels per full-size pixel; null is fitted. */
  zoom: number | null;
  shownZoom: number;
  /** Centre of the view in full-size pixels. */
  centre: [number, number] | null;
  probe: Probe | null;
  /** How the picture shown lies over the scene, and how large it is. */
  map: PlaneMap | null;
  /** The crop in the picture shown, where it is shown whole. */
  crop: Box | null;
  /** What was recorded, in the picture shown, where it is shown whole. */
  outline: Point[] | null;
  /** Where a crop may lie in it: the corners of a convex part. */
  room: Point[] | null;
  /** Placement lines: pairs of stop and tone in %. */
  ladder: [number, number][];
  /** How light of the picture is shown: pairs of EV relative to its white and tone in %. */
  tones: [number, number][];
  /** How often each tone comes in the picture shown, from black to white; 255 at most. */
  bins: Record<"luminance" | "red" | "green" | "blue", number[]> | null;
  limits: { white: number; some: number; black: number } | null;
  ms: number | null;
  rendering: boolean;
  /** Whether the picture under way takes long. */
  slow: boolean;
  /** What it waits for, and how far that is, 0 to 1. */
  doing: { what: string; share: number } | null;
  tool: ToolName;
  /** Frame shown instead of the merged picture, at the Frames station. */
  frame: number | null;
  /** Whether the picture is seen at 100 % under the pointer while it is shown whole. */
  loupe: boolean;
  /** Whether the picture can be dragged, whatever tool is in hand, or is. */
  moving: "ready" | "dragged" | null;
}

export const useView = create<ViewState>(() => ({
  view: "picture",
  glance: null,
  without: null,
  zoom: null,
  shownZoom: 1,
  centre: null,
  probe: null,
  map: null,
  crop: null,
  outline: null,
  room: null,
  ladder: [],
  tones: [],
  bins: null,
  limits: null,
  ms: null,
  rendering: false,
  slow: false,
  doing: null,
  tool: "pan",
  frame: null,
  loupe: false,
  moving: null,
}));

export const setView = (view: ViewName) => useView.setState((s) => ({ view: s.view === view ? "picture" : view }));

export function toggleZoom(at?: [number, number]) {
  useView.setState((s) => (s.zoom === null ? { zoom: 1, centre: at ?? s.centre } : { zoom: null, centre: null }));
}

/** Show the picture at a zoom, round a place or where it was. */
export function showAt(zoom: number, at?: [number, number]) {
  useView.setState((s) =>
    s.zoom === zoom ? { zoom: null, centre: null } : { zoom, centre: s.zoom === null ? (at ?? s.centre) : s.centre },
  );
}

perScene(useView);
