import { create } from "zustand";

import type { Box } from "../picture/crop";
import { GUIDES } from "../picture/guides";
import type { PlaneMap } from "../picture/map";
import { preview, store } from "./scene";
import { useView } from "./view";

interface Cropping {
  /** The crop as it is dragged, until the server has shown it. */
  dragged: Box | null;
  guide: keyof typeof GUIDES;
}

export const useCropping = create<Cropping>(() => ({ dragged: null, guide: "thirds" }));

/** The crop as shown: the one being dragged, or the one the server has. */
export function useCrop(): Box | null {
  const dragged = useCropping((s) => s.dragged);
  const crop = useView((s) => s.crop);
  return dragged ?? crop;
}

/** Keep a crop; it holds on to the place of the scene in its middle. */
export function setCrop(box: Box, map: PlaneMap) {
  preview((t) => {
    const { centre, width, height } = asSaid(box, map);
    // A free crop that was stood up is said as it lay.
    const sides = t.crop.ratio === "free" && t.crop.portrait ? { width: height, height: width } : { width, height };
    return { ...t, crop: { ...t.crop, centre, ...sides } };
  });
  store("Crop");
}

/** A box as the treatment says it: its middle in the scene, its sides in shares of the scene's longer side. */
export function asSaid({ x, y, width, height }: Box, map: PlaneMap) {
  const rounded = (v: number) => Math.round(v * 1e6) / 1e6;
  return {
    centre: map.toScene([x + width / 2, y + height / 2]).map(rounded) as [number, number],
    width: rounded(width / map.long),
    height: rounded(height / map.long),
  };
}
