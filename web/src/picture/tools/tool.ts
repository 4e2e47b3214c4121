import type { ComponentType } from "react";

import type { Stroke, Treatment } from "../../api/client";
import type { StationName, ToolName } from "../../names";
import type { Viewport } from "../viewport";
import type { Point } from "../map";

/** Where the pointer is, and how the picture lies under it. */
export interface Pointed {
  /** On the screen. */
  x: number;
  y: number;
  /** In full-size pixels of the picture. */
  place: Point;
  /** In the scene, in shares of its longer side, as the treatment says places. */
  scene: Point;
  lay: Viewport;
  zoomed: boolean;
  /** Of a pen, 0 to 1; 1 of what has none. */
  pressure: number;
  /** Whether keys are held that make a brush rub out, or draw a straight line. */
  rubs: boolean;
  straight: boolean;
  /** Whether Shift is held. */
  aside: boolean;
  /** Whether it asks for the area that is there. */
  selects: boolean;
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
  /** Told where the pointer is while nothing is dragged; null when it leaves. */
  hover?: (at: Pointed | null) => void;
  /** Strokes drawn over the picture while the tool is in hand. */
  strokes?: () => Pick<Stroke, "points" | "radius" | "kind">[];
  /** What else is drawn over the picture meanwhile. */
  Over?: ComponentType;
}
