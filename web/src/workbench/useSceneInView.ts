import { useEffect, useRef, useState } from "react";

import { isActive, useLastJob, useNews } from "../api/news";
import { toolAt } from "../picture/tools";
import { forgetAll } from "../state/perScene";
import { forgetScene, loadScene, useScene } from "../state/scene";
import { useView } from "../state/view";
import type { Station } from "./stations";

/** Keep a scene in view as it changes here, in another tab or by a merge; why it cannot be, if so. */
export function useSceneInView(id: number, station: Station): string | null {
  const [missing, setMissing] = useState<{ id: number; why: string } | null>(null);
  const news = useNews((s) => s.scenes[id]);
  const scene = useScene((s) => s.scene);
  const busy = useScene((s) => s.held || s.storing !== "stored");

  useEffect(() => {
    forgetScene();
    forgetAll();
  }, [id]);

  // Once the database is back, what could not be loaded is.
  const reachable = useNews((s) => s.database && s.connected);
  useEffect(() => {
    if (useScene.getState().scene?.id === id) return;
    loadScene(id)
      .then(() => setMissing(null))
      .catch((fault: Error) => setMissing({ id, why: fault.message }));
  }, [id, reachable]);

  // Another tab, or a finished merge, changed the scene: show its newest state, but never under a held dial.
  useEffect(() => {
    const { scene: shown, revision } = useScene.getState();
    if (!shown || !news || busy) return;
    if (news.revision !== revision || news.prepared !== shown.prepared || news.fault !== shown.fault)
      loadScene(id).catch(() => {});
  }, [news, id, busy]);

  // Noise that has been split off is there to be mixed.
  const split = useLastJob("noise", id);
  const splitting = split !== undefined && isActive(split);
  const was = useRef(splitting);
  useEffect(() => {
    if (was.current && !splitting) loadScene(id).catch(() => {});
    was.current = splitting;
  }, [splitting, id]);

  // Tools and views belong to their stations.
  useEffect(() => {
    useView.setState((s) => ({
      tool: toolAt(station.name, s.tool),
      view: station.views.includes(s.view) ? s.view : "picture",
    }));
  }, [station]);

  // Where all that was recorded is in view, places lie elsewhere.
  const uncropped = station.uncropped ?? false;
  useEffect(() => useView.setState({ zoom: null, centre: null }), [uncropped]);

  useEffect(() => {
    if (station.name !== "frames" || !scene) return;
    useView.setState((s) => (scene.frames.some((f) => f.id === s.frame) ? s : { frame: scene.frames[0]?.id ?? null }));
  }, [station, scene]);

  return missing?.id === id ? missing.why : null;
}
