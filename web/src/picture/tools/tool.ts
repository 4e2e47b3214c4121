import type { Stroke, Treatment } from "../../api/client";
import type { StationName } from "../../workbench/stations";
import type { Placing, Size } from "../geometry";

export type ToolName = "pan" | "place" | "neutral" | "brush";

/** Where the pointer is, and how the picture lies under it. */
export interface Pointed {
  /** On the screen. */
  x: number;
  y: number;
  /** In full-size pixels of the picture. */
  place: [number, number];
  /** In shares of the picture's width and height. */
  share: [number, number];
  pane: Size;
  placing: Placing;
  zoomed: boolean;
  treatment: Treatment | null;
}

/** A drag under way: what a tool does until the pointer is lifted. */
export interface Drag {
  move: (at: Pointed) => void;
  end: () => void;
  /** Whether pictures may be coarse meanwhile though no dial is held. */
  coarse?: boolean;
}

/** A tool of the picture: one state of what pointing at it means. It stands in a module of its own. */
export interface Tool {
  name: ToolName;
  /** Stations that it belongs to; elsewhere it is put down. */
  stations: readonly StationName[];
  label: string;
  cursor: (zoomed: boolean) => string;
  /** Begin: a drag that goes on, or null where a click is all. */
  down: (at: Pointed) => Drag | null;
  /** Strokes drawn over the picture while the tool is in hand. */
  strokes?: () => Pick<Stroke, "points" | "radius" | "kind">[];
}
