import type { StationName } from "../../workbench/stations";
import { brush } from "./brush";
import { neutral } from "./neutral";
import { pan } from "./pan";
import { place } from "./place";
import type { Tool, ToolName } from "./tool";

export const TOOLS: Record<ToolName, Tool> = { pan, place, neutral, brush };

/** The tool to have in hand at a station: the one there was, where it belongs there. */
export const toolAt = (station: StationName, inHand: ToolName): ToolName =>
  TOOLS[inHand].stations.includes(station) ? inHand : "pan";
