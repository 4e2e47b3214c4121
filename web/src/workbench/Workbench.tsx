import { Button } from "@mui/material";
import { useCallback, useEffect, useState } from "react";
import { Link, useParams } from "react-router-dom";

import { isActive, useNews } from "../api/news";
import { Ladder } from "../ladder/Ladder";
import { DeliverPanel } from "../panel/DeliverPanel";
import { FramesPanel } from "../panel/FramesPanel";
import { JobProgress } from "../panel/JobProgress";
import { LightPanel } from "../panel/LightPanel";
import { MergePanel } from "../panel/MergePanel";
import { Picture } from "../picture/Picture";
import { loadScene, loadSteps, useScene } from "../state/scene";
import { useView } from "../state/view";
import { KeysDialog } from "./KeysDialog";
import { type StationName, STATIONS } from "./stations";
import { StatusLine } from "./StatusLine";
import { TopLine } from "./TopLine";
import { useKeys } from "./useKeys";

/** The workbench: ladder, picture, the current station's panel. */
export function Workbench() {
  const { sceneId, station: named } = useParams();
  const id = Number(sceneId);
  const station: StationName = STATIONS.find((s) => s.name === named)?.name ?? "light";
  const { scene, revision, held, storing } = useScene();
  const news = useNews((s) => s.scenes[id]);
  const jobs = useNews((s) => s.jobs);
  const frame = useView((s) => s.frame);
  const [missing, setMissing] = useState<string | null>(null);
  const [keys, setKeys] = useState(false);
  const showKeys = useCallback(() => setKeys(true), []);
  useKeys(station, showKeys);

  useEffect(() => {
    useScene.setState({ scene: null, treatment: null });
    useView.setState({ view: "picture", zoom: null, centre: null, probe: null, ladder: [], limits: null, ms: null, frame: null, tool: "pan" });
    setMissing(null);
    Promise.all([loadSteps(), loadScene(id)]).catch((fault: Error) => setMissing(fault.message));
  }, [id]);

  // Another tab, or a finished merge, changed the scene: show its newest state, but never under a held dial.
  useEffect(() => {
    if (!scene || !news || held || storing !== "stored") return;
    if (news.revision !== revision || news.prepared !== scene.prepared || news.fault !== scene.fault) loadScene(id).catch(() => {});
  }, [news, id, held, storing]); // eslint-disable-line

  useEffect(() => {
    // Tools belong to their station.
    const tool = useView.getState().tool;
    if ((tool === "brush") !== (station === "merge") && tool !== "pan" && (tool === "brush" || station !== "light")) useView.setState({ tool: "pan" });
    const view = useView.getState().view;
    if (station !== "merge" && (view === "moved" || view === "ground")) useView.setState({ view: "picture" });
    if (station === "frames" && scene && !scene.frames.some((f) => f.id === useView.getState().frame))
      useView.setState({ frame: scene.frames[0]?.id ?? null });
  }, [station, scene]);

  if (missing || !scene || scene.id !== id) {
    return (
      <div className="sheet">
        <header className="top">
          <Link to="/" className="brand">
            CRENN
          </Link>
        </header>
        <main>
          {missing && (
            <div className="stack" style={{ justifyItems: "start" }}>
              <p>{missing}</p>
              <Button variant="outlined" component={Link} to="/">
                To the contact sheet
              </Button>
            </div>
          )}
        </main>
      </div>
    );
  }

  const merging = Object.values(jobs).find((j) => j.kind === "merge" && j.scene_id === id && isActive(j));
  const framePicture = station === "frames" && frame !== null;
  return (
    <div className="workbench">
      <TopLine station={station} onKeys={showKeys} />
      <Ladder station={station} />
      <main className="picture">
        {scene.ready && <Picture />}
        {framePicture && (
          <img
            src={`/api/frames/${frame}/picture.jpg`}
            alt={scene.frames.find((f) => f.id === frame)?.name ?? ""}
            style={{ position: "absolute", inset: 0, width: "100%", height: "100%", objectFit: "contain", padding: 18, boxSizing: "border-box", background: "var(--ground)" }}
          />
        )}
        {!scene.ready && !framePicture && (
          <div className="empty">
            {merging ? (
              <JobProgress job={merging} />
            ) : (
              <>
                <p>{scene.fault ?? "The frames of this scene have not been merged yet."}</p>
                <div>
                  <Button variant="outlined" component={Link} to={`/scenes/${id}/merge`}>
                    To Merge
                  </Button>
                </div>
              </>
            )}
          </div>
        )}
      </main>
      <section className="panel" aria-label={STATIONS.find((s) => s.name === station)!.title}>
        {station === "frames" && <FramesPanel />}
        {station === "merge" && <MergePanel />}
        {station === "light" && <LightPanel />}
        {station === "deliver" && <DeliverPanel />}
      </section>
      <StatusLine />
      <KeysDialog open={keys} onClose={() => setKeys(false)} />
    </div>
  );
}
