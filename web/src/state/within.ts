import { keepPreviousData, useQuery } from "@tanstack/react-query";

import { useMemo } from "react";

import { answered, api } from "../api/client";
import type { Point } from "../picture/map";
import { select, useAreas } from "./areas";
import { toldHere, useScene } from "./scene";

/** The outlines of all areas, and the stops within the selected one, once nothing is held. */
export function useWithin(enabled = true) {
  const scene = useScene((s) => s.scene);
  const areas = useScene((s) => s.treatment?.areas);
  const held = useScene((s) => s.held);
  const selected = useAreas((s) => s.selected);
  // While something is held nothing is asked: a brush of many strokes need not be written out at every move.
  const masks = useMemo(() => (held ? "" : JSON.stringify(areas?.map((a) => a.parts) ?? [])), [areas, held]);
  return useQuery({
    queryKey: ["within", scene?.id, scene?.prepared, masks, selected],
    enabled: enabled && !!scene?.prepared && !held && (areas?.length ?? 0) > 0,
    placeholderData: keepPreviousData,
    gcTime: 60_000,
    queryFn: () => {
      const document = { areas: useScene.getState().treatment!.areas } as unknown as Record<string, unknown>;
      return answered(
        api.POST("/api/scenes/{scene_id}/areas/within", {
          params: { path: { scene_id: scene!.id } },
          body: { document, area: selected },
        }),
      );
    },
  });
}

/** The stops within the selected area, at Areas; null if none is selected. */
export function useStopsWithin(station: string): number[] | null {
  const selected = useAreas((s) => s.selected);
  const { data } = useWithin(station === "areas");
  return station === "areas" && selected !== null ? (data?.stops ?? null) : null;
}

/** Select the topmost area that holds a place of the scene; pressed again there, the one below it. */
export async function selectAt(place: Point) {
  const { scene, treatment } = useScene.getState();
  if (!scene || !treatment?.areas.length) return;
  const found = await toldHere(
    answered(
      api.POST("/api/scenes/{scene_id}/areas/at", {
        params: { path: { scene_id: scene.id } },
        body: { document: { areas: treatment.areas }, place },
      }),
    ),
  );
  if (!found) return;
  const now = found.areas.indexOf(useAreas.getState().selected ?? "");
  select(found.areas[now + 1] ?? found.areas[0] ?? null);
}
