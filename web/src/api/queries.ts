import { QueryClient, queryOptions, useQuery } from "@tanstack/react-query";

import { answered, api } from "./client";

interface Description {
  components: { schemas: Record<string, { properties: Record<string, { minimum?: number; maximum?: number }> }> };
}

/** What the server holds, as this page last saw it. News tells what has changed; nothing is asked for twice. */
export const queries = new QueryClient({
  defaultOptions: { queries: { staleTime: Infinity, retry: false, refetchOnWindowFocus: false } },
});

const shoots = queryOptions({ queryKey: ["shoots"], queryFn: () => answered(api.GET("/api/shoots")) });
const steps = queryOptions({ queryKey: ["steps"], queryFn: () => answered(api.GET("/api/steps")) });
const kinds = queryOptions({ queryKey: ["area kinds"], queryFn: () => answered(api.GET("/api/areas/kinds")) });
export const presets = queryOptions({
  queryKey: ["area presets"],
  queryFn: () => answered(api.GET("/api/areas/presets")),
});
const camera = queryOptions({ queryKey: ["camera"], queryFn: () => answered(api.GET("/api/camera")) });
export const usual = queryOptions({ queryKey: ["usual"], queryFn: () => answered(api.GET("/api/colour/usual")) });
const deliveries = (scene: number) =>
  queryOptions({
    queryKey: ["deliveries", scene],
    queryFn: () => answered(api.GET("/api/scenes/{scene_id}/deliveries", { params: { path: { scene_id: scene } } })),
  });
export const outputSets = queryOptions({ queryKey: ["outputs"], queryFn: () => answered(api.GET("/api/outputs")) });
const description = queryOptions({
  queryKey: ["description"],
  queryFn: async () => (await (await fetch("/api/openapi.json")).json()) as Description,
});
const folder = (path: string | null) =>
  queryOptions({
    queryKey: ["folder", path],
    queryFn: () => answered(api.GET("/api/folders", { params: { query: path ? { path } : {} } })),
    // Files come and go on the server's disk without news.
    staleTime: 0,
  });

export const useShoots = () => useQuery(shoots);
export const useSteps = () => useQuery(steps);
/** The dials of areas, of their parts by kind, and of the brush. */
export const useKinds = () => useQuery(kinds);
export const usePresets = () => useQuery(presets);
export const useCamera = (enabled: boolean) => useQuery({ ...camera, enabled });
export const useOutputSets = () => useQuery(outputSets);
export const useDeliveries = (scene: number) => useQuery(deliveries(scene));
/** What the numbers of a body must lie between, as the API itself describes it. */
export const useLimits = (body: string) =>
  useQuery({
    ...description,
    select: (d) =>
      Object.fromEntries(
        Object.entries(d.components.schemas[body].properties).map(([name, p]) => [
          name,
          { low: p.minimum ?? -Infinity, high: p.maximum ?? Infinity },
        ]),
      ),
  });
export const useFolder = (path: string | null, enabled: boolean) => useQuery({ ...folder(path), enabled });

/** Shoots, scenes or frames are no longer what they were. */
export const shootsChanged = () => void queries.invalidateQueries({ queryKey: shoots.queryKey });
/** Noise models of cameras are no longer what they were. */
export const modelsChanged = () => void queries.invalidateQueries({ queryKey: ["models"] });
/** Something was delivered, or asked for. */
export const deliveriesChanged = (scene: number) =>
  void queries.invalidateQueries({ queryKey: deliveries(scene).queryKey });

/** Whether a secret is asked for here. */
export const useSessionKind = () =>
  useQuery({ queryKey: ["session"], queryFn: () => answered(api.GET("/api/session")), staleTime: Infinity });
