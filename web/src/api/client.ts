import createClient from "openapi-fetch";
import { create } from "zustand";

import type { components, paths } from "./schema";

export type Scene = components["schemas"]["SceneOut"];
export type SceneSummary = components["schemas"]["SceneSummary"];
export type Shoot = components["schemas"]["ShootOut"];
export type Frame = components["schemas"]["FrameOut"];
export type Job = components["schemas"]["JobOut"];
export type Report = components["schemas"]["MergeReport"];
export type FrameReport = components["schemas"]["FrameReport"];
export type Treatment = components["schemas"]["Treatment"];
export type TreatmentState = components["schemas"]["TreatmentState"];
export type History = components["schemas"]["HistoryOut"];
export type HistoryEntry = components["schemas"]["EntryOut"];
export type WholePreset = components["schemas"]["Preset"];
export type Contribution = components["schemas"]["ContributionOut"];
export type Step = components["schemas"]["StepOut"];
export type Dial = components["schemas"]["DialOut"];
export type Choice = components["schemas"]["ChoiceOut"];
export type Toggle = components["schemas"]["ToggleOut"];
export type LensPlot = components["schemas"]["LensPlotOut"];
export type HueRange = components["schemas"]["HueRange"];
export type Tint = components["schemas"]["Tint"];
export type Area = components["schemas"]["Area"];
export type Gradient = components["schemas"]["Gradient"];
export type Ellipse = components["schemas"]["Ellipse"];
export type Brush = components["schemas"]["Brush"];
export type BrushStroke = components["schemas"]["BrushStroke"];
export type LightRange = components["schemas"]["LightRange"];
export type ColourRange = components["schemas"]["ColourRange"];
export type Found = components["schemas"]["Found"];
export type Grown = components["schemas"]["Grown"];
export type Part = Gradient | Ellipse | Brush | LightRange | ColourRange | Found | Grown;
export type MendLayer = components["schemas"]["MendLayer"];
export type Patch = components["schemas"]["Patch"];
export type Origin = components["schemas"]["Origin"];
export type SolvedPatch = components["schemas"]["PatchOut"];
export type Shape = Gradient | Ellipse;
export type Preset = components["schemas"]["PresetOut"];
export type Output = components["schemas"]["Output-Output"];
export type Series = components["schemas"]["SeriesOut"];
export type Film = components["schemas"]["Film"];
export type OutputSet = components["schemas"]["OutputSet-Output"];
export type Instructions = components["schemas"]["Instructions"];
export type Stroke = components["schemas"]["Stroke"];
export type Region = components["schemas"]["Region"];
export type Check = components["schemas"]["CheckOut"];
export type Reach = components["schemas"]["ReachOut"];
export type Coverage = components["schemas"]["Coverage"];
export type CameraScene = components["schemas"]["CameraScene"];
export type Folder = components["schemas"]["FolderOut"];
type Fault = components["schemas"]["FaultOut"];

/** A fault told by the server, in words for the user. */
export class ServerFault extends Error {
  constructor(
    message: string,
    readonly kind: Fault["kind"] | "unreachable",
  ) {
    super(message);
  }
}

export const api = createClient<paths>();

/** Whether the server asks for its secret. */
export const useSession = create(() => ({ signInNeeded: false }));

/** The answer's data, or a `ServerFault`. */
export async function answered<T>(call: Promise<{ data?: T; error?: unknown; response: Response }>): Promise<T> {
  let result;
  try {
    result = await call;
  } catch {
    throw new ServerFault("Crenn does not answer. Is it still running?", "unreachable");
  }
  if (result.data !== undefined) return result.data;
  const fault = result.error as Partial<Fault> | undefined;
  if (fault?.kind === "sign-in") useSession.setState({ signInNeeded: true });
  const text =
    typeof fault?.detail === "string" ? fault.detail : `The server refused this (${result.response.status}).`;
  throw new ServerFault(text, fault?.kind ?? "fault");
}
