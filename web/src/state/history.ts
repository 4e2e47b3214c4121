import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { create } from "zustand";

import { answered, api, type History, type Treatment } from "../api/client";
import { queries } from "../api/queries";
import { addPart } from "./areas";
import { tell, told } from "./messages";
import { brushOf } from "./parts";
import { perScene } from "./perScene";
import { inTurn, toldHere, useScene } from "./scene";

const historyKey = (scene: number) => ["history", scene];

/** What was done in a scene. */
export const askHistory = (scene: number): Promise<History> =>
  answered(api.GET("/api/scenes/{scene_id}/history", { params: { path: { scene_id: scene } } }));

/** What was done in the scene in view, with its marks and takes. */
export function useHistory() {
  const id = useScene((s) => s.scene?.id);
  const revision = useScene((s) => s.revision);
  return useQuery({
    queryKey: [...historyKey(id ?? 0), revision],
    enabled: id !== undefined,
    queryFn: () => askHistory(id!),
    placeholderData: keepPreviousData,
    gcTime: 10_000,
  });
}

/** A state that is looked at while the treatment stays where it is. */
interface Seen {
  /** The state that is wanted, and the treatment of the last one that was told. */
  revision: number | null;
  treatment: Treatment | null;
  /** Whether it is passed by: its picture may be coarse. */
  passing: boolean;
}
export const useSeen = create<Seen>(() => ({ revision: null, treatment: null, passing: false }));
perScene(useSeen);

/** A state is passed by until it has been looked at for so long, in ms. */
const RESTS = 160;
let timer: ReturnType<typeof setTimeout> | undefined;
/** The state that is asked for now: the one wanted when its answer comes is the next. */
let asked: number | null = null;

/** The treatment of a state of the scene in view; what was once told stays as it is. */
export const stateOf = (scene: number, revision: number): Promise<Treatment> =>
  queries.fetchQuery({
    queryKey: ["state", scene, revision, useScene.getState().scene?.prepared],
    queryFn: () =>
      answered(
        api.GET("/api/scenes/{scene_id}/states/{revision}", { params: { path: { scene_id: scene, revision } } }),
      ),
    gcTime: 60_000,
  });

/** Show a state for as long as it is looked at; nothing is changed. */
export function see(revision: number) {
  if (useSeen.getState().revision === revision) return;
  clearTimeout(timer);
  useSeen.setState({ revision, passing: true });
  timer = setTimeout(() => useSeen.setState({ passing: false }), RESTS);
  if (asked === null) void askSeen();
}

/** Ask for the state that is wanted, until it is the one that was told. */
async function askSeen() {
  const { scene } = useScene.getState();
  const { revision } = useSeen.getState();
  if (!scene || revision === null) return;
  asked = revision;
  const treatment = await toldHere(stateOf(scene.id, revision));
  asked = null;
  const wanted = useSeen.getState().revision;
  // One that was passed by meanwhile is shown all the same: walking along, the picture follows.
  if (treatment && wanted !== null) useSeen.setState({ treatment });
  if (treatment && wanted !== revision) void askSeen();
}

export function unsee() {
  clearTimeout(timer);
  useSeen.setState({ revision: null, treatment: null, passing: false });
}

/** Have a state again: a change like any other. */
export function backTo(revision: number, label: string) {
  unsee();
  return inTurn((id) =>
    answered(
      api.POST("/api/scenes/{scene_id}/back", {
        params: { path: { scene_id: id } },
        body: { revision, label: `Back to ${label}`.slice(0, 200) },
      }),
    ),
  );
}

/** Take what the server tells of the history once it has changed something of it. */
async function changedBy(work: (scene: number) => Promise<History>) {
  const { scene, revision } = useScene.getState();
  if (!scene) return;
  const history = await told(work(scene.id));
  if (history) queries.setQueryData([...historyKey(scene.id), revision], history);
}

const at = (scene: number) => ({ params: { path: { scene_id: scene } } });
const ofTake = (scene: number, take: number) => ({ params: { path: { scene_id: scene, take_id: take } } });

export const keepMark = (name: string, revision: number | null) =>
  changedBy((id) => answered(api.PUT("/api/scenes/{scene_id}/marks", { ...at(id), body: { name, revision } })));
/** Keep the present state by a name of its own. */
export async function markHere() {
  const { scene } = useScene.getState();
  const history = scene && (await told(askHistory(scene.id)));
  if (!history) return;
  const name = freeName(
    "Mark",
    history.marks.map((m) => m.name),
  );
  await keepMark(name, null);
  tell(`Kept as “${name}”.`, "note");
}
export const forgetMark = (name: string) =>
  changedBy((id) => answered(api.POST("/api/scenes/{scene_id}/marks/forget", { ...at(id), body: { name } })));
export const renameTake = (take: number, name: string) =>
  changedBy((id) =>
    answered(api.PATCH("/api/scenes/{scene_id}/takes/{take_id}", { ...ofTake(id, take), body: { name } })),
  );
export const removeTake = (take: number) =>
  changedBy((id) => answered(api.DELETE("/api/scenes/{scene_id}/takes/{take_id}", ofTake(id, take))));

export function beginTake(name: string, revision: number | null) {
  unsee();
  return inTurn((id) => answered(api.POST("/api/scenes/{scene_id}/takes", { ...at(id), body: { name, revision } })));
}

export function chooseTake(take: number) {
  unsee();
  return inTurn((id) => answered(api.POST("/api/scenes/{scene_id}/takes/{take_id}/choose", ofTake(id, take))));
}

/** Lay another take over the picture, half of each: in an area of its own, which any mask can hold. */
export async function mixIn(take: number, name: string) {
  const { scene } = useScene.getState();
  if (!scene) return;
  const other = await toldHere(answered(api.GET("/api/scenes/{scene_id}/takes/{take_id}", ofTake(scene.id, take))));
  if (!other) return;
  // What it shows of others itself is left out: one lies in the other, not a third in that.
  const shown = { ...other, areas: other.areas.filter((area) => area.take == null), presets: [] };
  addPart(brushOf([]), { name: name.slice(0, 60), invert: true, opacity: 50, bends: {}, take: shown });
}

/** A name that none of some has: “Take 3”. */
export function freeName(word: string, taken: string[]): string {
  let number = taken.length + 1;
  while (taken.includes(`${word} ${number}`)) number++;
  return `${word} ${number}`;
}
