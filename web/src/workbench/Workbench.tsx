import { Button } from "@mui/material";
import { lazy, Suspense, useCallback, useState } from "react";
import { Link, useParams } from "react-router-dom";

import { useMerging } from "../api/news";
import { Ladder } from "../ladder/Ladder";
import { JobProgress } from "../panel/JobProgress";
import { Picture } from "../picture/Picture";
import { useAside } from "../state/aside";
import { useScene } from "../state/scene";
import { type Side, useRoom } from "../state/room";
import { useView } from "../state/view";
import { stationOf } from "./stations";
import { StatusLine } from "./StatusLine";
import { TopLine } from "./TopLine";
import { useKeys } from "./useKeys";
import { useSceneInView } from "./useSceneInView";

const AsidePanel = lazy(() => import("../history/AsidePanel"));
const KeysDialog = lazy(() => import("./KeysDialog"));

/** The workbench: ladder, picture, the current station's panel. */
const SIDES: Side[] = ["ladder", "panel", "lines"];

export default function Workbench() {
  const { sceneId, station: named } = useParams();
  const id = Number(sceneId);
  const station = stationOf(named);
  const scene = useScene((s) => s.scene);
  const frame = useView((s) => s.frame);
  const merging = useMerging(id);
  const missing = useSceneInView(id, station);
  const [keys, setKeys] = useState(false);
  const showKeys = useCallback(() => setKeys(true), []);
  useKeys(station.name, showKeys);
  const hidden = useRoom((s) => s.hidden);
  const aside = useAside((s) => s.open);

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
            <div className="stack start">
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

  const framePicture = station.name === "frames" && frame !== null;
  return (
    <div className={`workbench${SIDES.map((side) => (hidden[side] ? ` no-${side}` : "")).join("")}`}>
      <TopLine station={station.name} onKeys={showKeys} />
      <Ladder station={station.name} />
      <main className="picture">
        {scene.ready && <Picture station={station} />}
        {framePicture && (
          <img src={`/api/frames/${frame}/picture.jpg`} alt={scene.frames.find((f) => f.id === frame)?.name ?? ""} />
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
      <section className="panel" aria-label={aside ? "Beside the picture" : `${station.title} station`}>
        <Suspense>{aside ? <AsidePanel open={aside} /> : <station.Panel />}</Suspense>
      </section>
      <StatusLine station={station} />
      <Suspense>{keys && <KeysDialog station={station.name} onClose={() => setKeys(false)} />}</Suspense>
    </div>
  );
}
