import {
  infiniteQueryOptions,
  keepPreviousData,
  QueryClient,
  queryOptions,
  useInfiniteQuery,
  useQuery,
} from "@tanstack/react-query";

import { answered, api } from "./client";
import { wholeShoots } from "./wholeShoots";

interface Description {
  components: { schemas: Record<string, { properties: Record<string, { minimum?: number; maximum?: number }> }> };
}

/** What the server holds, as this page last saw it. News tells what has changed; nothing is asked for twice. */
export const queries = new QueryClient({
  defaultOptions: { queries: { staleTime: Infinity, retry: false, refetchOnWindowFocus: false } },
});

/** What of the library is looked at. */
export interface Looked {
  /** Words that a scene must hold. */
  words: string;
  /** Marks of choice that it must have at least. */
  choice: number;
  /** Whether the bin is looked at. */
  bin: boolean;
}

/** All that tells of shoots lies under this. */
const SHOOTS = "shoots";
/** So many scenes are asked for at a time. */
const PAGE = 60;

const found = ({ words, choice, bin }: Looked) =>
  infiniteQueryOptions({
    queryKey: [SHOOTS, "found", words, choice, bin],
    initialPageParam: 0,
    queryFn: async ({ pageParam }) => {
      const query = { words, choice, binned: bin, start: pageParam, most: PAGE };
      const call = api.GET("/api/shoots", { params: { query } });
      const shoots = await answered(call);
      const more = (await call).response.headers.has("Link");
      return { shoots, next: more ? pageParam + PAGE : undefined };
    },
    getNextPageParam: (page) => page.next,
    select: (d) => wholeShoots(d.pages.map((page) => page.shoots)),
    placeholderData: keepPreviousData,
  });
const shootOf = (id: number) =>
  queryOptions({
    queryKey: [SHOOTS, "one", id],
    queryFn: () => answered(api.GET("/api/shoots/{shoot_id}", { params: { path: { shoot_id: id } } })),
  });
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
export const keptProfiles = queryOptions({
  queryKey: ["profiles"],
  queryFn: () => answered(api.GET("/api/profiles")),
});
export const diskUse = queryOptions({
  queryKey: ["disk"],
  queryFn: () => answered(api.GET("/api/disk")),
  // Whatever is done changes it.
  staleTime: 0,
});
export const diskLimits = queryOptions({
  queryKey: ["disk limits"],
  queryFn: () => answered(api.GET("/api/disk/limits")),
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

const series = (shoot: number) =>
  queryOptions({
    // What lets shoots be asked for again does so with them.
    queryKey: [SHOOTS, "series", shoot],
    queryFn: () => answered(api.GET("/api/shoots/{shoot_id}/series", { params: { path: { shoot_id: shoot } } })),
  });
const films = (shoot: number) =>
  queryOptions({
    queryKey: ["films", shoot],
    queryFn: () => answered(api.GET("/api/shoots/{shoot_id}/films", { params: { path: { shoot_id: shoot } } })),
  });

/** Shoots with what is found of them, a page at a time. */
export const useFound = (looked: Looked) => useInfiniteQuery(found(looked));
/** A shoot with all its scenes. */
export const useShoot = (id: number | undefined) => useQuery({ ...shootOf(id ?? 0), enabled: id !== undefined });
export const useSteps = () => useQuery(steps);
/** The dials of areas, of their parts by kind, and of the brush. */
export const useKinds = () => useQuery(kinds);
export const usePresets = () => useQuery(presets);
export const useCamera = (enabled: boolean) => useQuery({ ...camera, enabled });
export const useDisk = () => useQuery(diskUse);
export const useDiskLimits = () => useQuery(diskLimits);
export const useProfiles = () => useQuery(keptProfiles);
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

export const useSeries = (shoot: number) => useQuery(series(shoot));
export const useFilms = (shoot: number) => useQuery(films(shoot));

/** Shoots, scenes or frames are no longer what they were. */
export const shootsChanged = () => void queries.invalidateQueries({ queryKey: [SHOOTS] });
/** A scene is shown as a key, or none, before the server has said so. */
export const keySeen = (shoot: number, scene: number, key: boolean) =>
  queries.setQueryData(series(shoot).queryKey, (known) =>
    known?.map((one) => ({ ...one, members: one.members.map((m) => (m.id === scene ? { ...m, key } : m)) })),
  );
/** A film was made, or asked for. */
export const filmsChanged = (shoot: number) => void queries.invalidateQueries({ queryKey: films(shoot).queryKey });
/** Noise models of cameras are no longer what they were. */
export const modelsChanged = () => void queries.invalidateQueries({ queryKey: ["models"] });
/** Something was delivered, or asked for. */
export const deliveriesChanged = (scene: number) =>
  void queries.invalidateQueries({ queryKey: deliveries(scene).queryKey });

/** Whether a secret is asked for here. */
export const useSessionKind = () =>
  useQuery({ queryKey: ["session"], queryFn: () => answered(api.GET("/api/session")), staleTime: Infinity });
