import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { create } from "zustand";

import { answered, api } from "../api/client";
import { useScene } from "./scene";

/** How large the picture will be: at full size, by pixels of its longer side, or as a print. */
export interface Output {
  by: "full" | "pixels" | "print";
  pixels: number;
  /** Longer side of a print, in cm. */
  cm: number;
  dpi: number;
}

export const useOutput = create<Output>(() => ({ by: "full", pixels: 2048, cm: 40, dpi: 300 }));

/** What can be typed: values beyond are taken as the nearest that can be. */
export const RANGES = { pixels: [16, 60000], cm: [1, 1000], dpi: [10, 2400] } as const;

/** Pixels of the longer side; null is full size. */
export const longEdge = (o: Output): number | null =>
  o.by === "full"
    ? null
    : Math.min(Math.max(Math.round(o.by === "pixels" ? o.pixels : (o.cm / 2.54) * o.dpi), 16), 200000);

/** Take a typed number, as far as it can be. */
export function setOutput(name: keyof typeof RANGES, value: number) {
  const [low, high] = RANGES[name];
  useOutput.setState({ [name]: Math.min(Math.max(name === "cm" ? value : Math.round(value), low), high) });
}

/** Signal to noise in the picture as large as it will be, before and after; while a dial moves, what was known last. */
export function useSignal() {
  const id = useScene((s) => s.scene?.id);
  const prepared = useScene((s) => s.scene?.prepared);
  const split = useScene((s) => s.scene?.noise != null);
  const treatment = useScene((s) => s.treatment);
  const held = useScene((s) => s.held);
  const edge = useOutput(longEdge);
  const document = treatment && JSON.stringify({ ...treatment, sharpening: undefined });
  return useQuery({
    queryKey: ["signal", id, prepared, split, edge, document],
    enabled: !!prepared && !held && id !== undefined && document !== null,
    queryFn: () =>
      answered(
        api.POST("/api/scenes/{scene_id}/noise/signal", {
          params: { path: { scene_id: id! } },
          body: { document: treatment!, long_edge: edge },
        }),
      ),
    placeholderData: keepPreviousData,
    gcTime: 10_000,
  });
}
