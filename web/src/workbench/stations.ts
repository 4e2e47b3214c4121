import { type ComponentType, lazy } from "react";

import type { Scene, Step, Treatment } from "../api/client";
import type { StationName, ViewName } from "../names";
import { changed } from "../state/changes";

export interface Station {
  name: StationName;
  title: string;
  Panel: ComponentType;
  /** What is drawn over the picture here, whatever tool is in hand. */
  Over?: ComponentType;
  /** Views that can be looked at here. */
  views: ViewName[];
  /** Whether all that was recorded is in view, and not the crop alone. */
  uncropped?: boolean;
  /** Whether the user has done something here. */
  touched: (scene: Scene, treatment: Treatment, steps: Step[]) => boolean;
}

const anyOf = (name: StationName) => (_: Scene, treatment: Treatment, steps: Step[]) =>
  steps.some((step) => step.station === name && changed(step, treatment) > 0);

const EVERYWHERE: ViewName[] = ["picture", "limits", "stops", "noise", "source"];

/** The stations there are so far, in the order of the work; they can be visited in any order. */
export const STATIONS: Station[] = [
  {
    name: "frames",
    title: "Frames",
    Panel: lazy(() => import("../panel/FramesPanel")),
    views: EVERYWHERE,
    touched: (scene) => scene.frames.length > 0,
  },
  {
    name: "merge",
    title: "Merge",
    Panel: lazy(() => import("../panel/MergePanel")),
    views: [...EVERYWHERE, "lost", "moved", "ground"],
    touched: (scene) => scene.ready,
  },
  {
    name: "geometry",
    title: "Geometry",
    Panel: lazy(() => import("../panel/GeometryPanel")),
    Over: lazy(() => import("../picture/over/CropFrame")),
    views: EVERYWHERE,
    uncropped: true,
    touched: anyOf("geometry"),
  },
  {
    name: "light",
    title: "Light",
    Panel: lazy(() => import("../panel/LightPanel")),
    Over: lazy(() => import("../picture/over/LampRings")),
    views: [...EVERYWHERE, "lost", "lights"],
    touched: anyOf("light"),
  },
  {
    name: "noise",
    title: "Noise",
    Panel: lazy(() => import("../panel/NoisePanel")),
    Over: lazy(() => import("../picture/over/StripFrame")),
    views: [...EVERYWHERE, "left", "taken"],
    touched: anyOf("noise"),
  },
  {
    name: "colour",
    title: "Colour",
    Panel: lazy(() => import("../panel/ColourPanel")),
    views: [...EVERYWHERE, "range", "outside"],
    touched: anyOf("colour"),
  },
  {
    name: "areas",
    title: "Areas",
    Panel: lazy(() => import("../panel/AreasPanel")),
    Over: lazy(() => import("../picture/over/Contours")),
    views: [...EVERYWHERE, "area", "mask"],
    touched: (_, treatment) => treatment.areas.length > 0,
  },
  {
    name: "mend",
    title: "Mend",
    Panel: lazy(() => import("../panel/MendPanel")),
    Over: lazy(() => import("../picture/over/Patches")),
    views: [...EVERYWHERE, "dust"],
    touched: (scene, treatment, steps) => treatment.mend.length > 0 || anyOf("mend")(scene, treatment, steps),
  },
  {
    name: "finish",
    title: "Finish",
    Panel: lazy(() => import("../panel/FinishPanel")),
    Over: lazy(() => import("../picture/over/VignetteCentre")),
    views: [...EVERYWHERE, "sharp"],
    touched: anyOf("finish"),
  },
  {
    name: "deliver",
    title: "Deliver",
    Panel: lazy(() => import("../panel/DeliverPanel")),
    views: EVERYWHERE,
    touched: () => false,
  },
];

export const stationOf = (name: string | undefined): Station =>
  STATIONS.find((s) => s.name === name) ?? STATIONS.find((s) => s.name === "light")!;
