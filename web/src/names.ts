/** Names that the parts of the page know each other by. */

export const STATION_NAMES = [
  "frames",
  "merge",
  "geometry",
  "light",
  "noise",
  "colour",
  "areas",
  "mend",
  "finish",
  "deliver",
] as const;
export type StationName = (typeof STATION_NAMES)[number];

export type ViewName =
  | "picture"
  | "untreated"
  | "limits"
  | "source"
  | "moved"
  | "ground"
  | "area"
  | "mask"
  | "stops"
  | "noise"
  | "cast"
  | "lost"
  | "noisy"
  | "taken"
  | "edges"
  | "sharp"
  | "left"
  | "range"
  | "outside"
  | "part"
  | "lights"
  | "dust"
  | "contours"
  | "wash";

export type ToolName =
  | "pan"
  | "place"
  | "neutral"
  | "brush"
  | "plumb"
  | "edges"
  | "bent"
  | "curve"
  | "patch"
  | "box"
  | "pick"
  | "castbox"
  | "gradient"
  | "ellipse"
  | "pool"
  | "vignette"
  | "paint"
  | "dodgeBurn"
  | "colourPicker"
  | "lightPicker"
  | "grow"
  | "washPicker"
  | "huePicker"
  | "mend"
  | "mendOutline"
  | "mendCopy"
  | "mendWithin"
  | "fringe"
  | "glowBrush";
