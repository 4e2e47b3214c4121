import { create } from "zustand";

import { answered, api, type Output, type OutputSet } from "../api/client";
import { deliveriesChanged, outputSets, queries } from "../api/queries";
import { tell, told } from "./messages";
import { longEdge } from "./output";

/** What is delivered next: the same from scene to scene. */
interface Outputs {
  list: Output[];
  /** Which of them is looked at. */
  open: number;
  /** The set that they are, as long as nothing of it was changed. */
  set: string;
}

export const PLAIN: Output = {
  format: "jpg",
  size: { by: "full", pixels: 2048, cm: 40, dpi: 300, share: 50, megapixels: 12, enlarge: false },
  space: "srgb",
  profile: null,
  bits: 16,
  areas: false,
  half: false,
  quality: 92,
  most_kb: null,
  colour: "auto",
  progressive: false,
  hdr: null,
  sharpen: "none",
  sharpening: 100,
  border: null,
  about: {
    camera: true,
    exposure: true,
    time: true,
    position: true,
    title: "",
    caption: "",
    creator: "",
    copyright: "",
    treatment: true,
  },
  name: "{title}",
};

/** How far above white lamps may reach, in stops, and how far they do at first. */
export const HDR = { low: 0.5, high: 5, increment: 0.1, usual: 2 } as const;

/** Whether a format can hold what is above white. */
export const holdsBeyond = (o: Output) => ["jpg", "avif", "png"].includes(o.format);

/** How far above white lamps reach in a file, in stops; null for no farther. */
export const stopsOf = (o: Output) => (holdsBeyond(o) ? (o.hdr ?? null) : null);

/** Whether its codes are of absolute light, whose space and bits there is no choice of. */
export const isPq = (o: Output) => stopsOf(o) !== null && o.format !== "jpg";

export const useOutputs = create<Outputs>(() => ({ list: [PLAIN], open: 0, set: "" }));

/** Change the output that is looked at. */
export const changeOutput = (change: Partial<Output>) =>
  useOutputs.setState(({ list, open }) => ({
    list: list.map((one, i) => (i === open ? { ...one, ...change } : one)),
    set: "",
  }));

/** One more, like the one that is looked at. */
export const addOutput = () =>
  useOutputs.setState(({ list, open }) => ({ list: [...list, list[open]], open: list.length, set: "" }));

export const dropOutput = (index: number) =>
  useOutputs.setState(({ list, open }) => ({
    list: list.filter((_, i) => i !== index),
    open: Math.max(open > index ? open - 1 : Math.min(open, list.length - 2), 0),
    set: "",
  }));

export const takeSet = (set: OutputSet) => useOutputs.setState({ list: set.outputs, open: 0, set: set.name });

export async function keepSet(name: string) {
  const body = { name, outputs: useOutputs.getState().list, own: true };
  const sets = await told(answered(api.PUT("/api/outputs", { body })));
  if (!sets) return;
  queries.setQueryData(outputSets.queryKey, sets);
  useOutputs.setState({ set: name });
}

export async function forgetSet(name: string) {
  const sets = await told(answered(api.POST("/api/outputs/forget", { body: { name } })));
  if (!sets) return;
  queries.setQueryData(outputSets.queryKey, sets);
  useOutputs.setState({ set: "" });
}

/** Deliver a scene, by one of its takes. */
export async function deliver(scene: number, take: number | null) {
  const { list, set } = useOutputs.getState();
  await told(
    answered(
      api.POST("/api/scenes/{scene_id}/deliveries", {
        params: { path: { scene_id: scene } },
        body: { outputs: list, set, take },
      }),
    ),
  );
  deliveriesChanged(scene);
}

/** Deliver scenes, each as it stands. */
export async function deliverMany(scenes: number[]) {
  const { list, set } = useOutputs.getState();
  const jobs = await told(answered(api.POST("/api/deliveries", { body: { scenes, outputs: list, set } })));
  if (!jobs) return;
  const count = new Set(jobs.map((job) => job.scene_id)).size;
  tell(`${count === 1 ? "One scene is" : `${count} scenes are`} delivered, one after the other.`, "note");
  for (const scene of scenes) deliveriesChanged(scene);
}

/** Longer side and shorter side in pixels, as the server makes them of a picture's. */
export function sizeOf({ size }: Output, full: { width: number; height: number }): { width: number; height: number } {
  const { by } = size;
  const longer = Math.max(full.width, full.height);
  const factor =
    by === "share"
      ? size.share / 100
      : by === "megapixels"
        ? Math.sqrt((size.megapixels * 1e6) / (full.width * full.height))
        : (longEdge({ ...size, by }) ?? longer) / longer;
  const times = size.enlarge ? Math.min(factor, 4) : Math.min(factor, 1);
  return { width: Math.max(Math.round(full.width * times), 1), height: Math.max(Math.round(full.height * times), 1) };
}
