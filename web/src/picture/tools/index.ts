import type { StationName, ToolName } from "../../names";
import { bent } from "./bent";
import { box } from "./box";
import { brush } from "./brush";
import { castbox } from "./castbox";
import { curve } from "./curve";
import { edges } from "./edges";
import { fringe } from "./fringe";
import { glowBrush } from "./glow";
import { grow } from "./grow";
import { mend, mendCopy, mendOutline, mendWithin } from "./mend";
import { neutral } from "./neutral";
import { pan } from "./pan";
import { patch } from "./patch";
import { pick } from "./pick";
import { place } from "./place";
import { plumb } from "./plumb";
import { dodgeBurn, paint } from "./paint";
import { colourPicker, huePicker, lightPicker, washPicker } from "./sample";
import { ellipse, gradient, pool } from "./shape";
import type { Tool } from "./tool";
import { vignette } from "./vignette";

export const TOOLS: Record<ToolName, Tool> = {
  pan,
  place,
  neutral,
  curve,
  brush,
  plumb,
  edges,
  bent,
  patch,
  box,
  pick,
  castbox,
  gradient,
  ellipse,
  pool,
  vignette,
  paint,
  dodgeBurn,
  colourPicker,
  lightPicker,
  grow,
  washPicker,
  huePicker,
  mend,
  mendOutline,
  mendCopy,
  mendWithin,
  fringe,
  glowBrush,
};

/** The tool to have in hand at a station: the one there was, where it belongs there. */
export const toolAt = (station: StationName, inHand: ToolName): ToolName =>
  TOOLS[inHand].stations.includes(station) ? inHand : "pan";
