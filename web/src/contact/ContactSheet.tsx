import { Button } from "@mui/material";
import { type DragEvent, lazy, Suspense, useDeferredValue, useEffect, useRef, useState } from "react";
import { Link } from "react-router-dom";

import { isActive, useNews } from "../api/news";
import { useFound } from "../api/queries";
import { JobProgress } from "../panel/JobProgress";
import { NameInput } from "../panel/NameInput";
import { renameShoot, useLooked } from "../state/library";
import { tell } from "../state/messages";
import { Finder } from "./Finder";
import { Further } from "./Further";
import { SceneCard } from "./SceneCard";
import { ShootMenu } from "./ShootMenu";
import { SignOut } from "./SignOut";
import { upload, useUpload } from "./upload";

const CameraDialog = lazy(() => import("./CameraDialog"));
const FolderDialog = lazy(() => import("./FolderDialog"));

/** A series has so many scenes at least. */
const LEAST_SERIES = 8;

/** The contact sheet: shoots with their scenes, and the way to bring frames in. */
export function ContactSheet() {
  // What was found stays until more is: typing is not held up by the sheet.
  const looked = useDeferredValue(useLooked());
  const { data: shoots, error, hasNextPage, fetchNextPage, isFetchingNextPage } = useFound(looked);
  const [over, setOver] = useState(false);
  const [choosing, setChoosing] = useState(false);
  const [shooting, setShooting] = useState(false);
  const jobs = useNews((s) => s.jobs);
  const sought = looked.words.trim() !== "" || looked.choice > 0 || looked.bin;
  const sending = useUpload();
  const files = useRef<HTMLInputElement>(null);

  useEffect(() => {
    if (error) tell(error.message);
  }, [error]);

  const imports = Object.values(jobs).filter((j) => (j.kind === "import" || j.kind === "shoot") && isActive(j));
  const drop = (e: DragEvent) => {
    e.preventDefault();
    setOver(false);
    upload([...e.dataTransfer.files]);
  };

  return (
    <div
      className="sheet"
      onDragOver={(e) => {
        e.preventDefault();
        setOver(true);
      }}
      onDragLeave={(e) => e.currentTarget === e.target && setOver(false)}
      onDrop={drop}
    >
      <header className="top">
        <Link to="/" className="brand">
          CRENN
        </Link>
        <span className="dim">Contact sheet</span>
        {(sought || (shoots?.length ?? 0) > 0) && <Finder />}
        <div className="actions">
          <Button variant="outlined" color="inherit" onClick={() => setShooting(true)}>
            Simulated camera
          </Button>
          <Button variant="outlined" color="inherit" onClick={() => setChoosing(true)}>
            Bring in a folder
          </Button>
          <Button variant="contained" onClick={() => files.current?.click()}>
            Bring in frames
          </Button>
          <input
            ref={files}
            type="file"
            multiple
            hidden
            data-testid="files"
            onChange={(e) => {
              upload([...(e.target.files ?? [])]);
              e.target.value = "";
            }}
          />
        </div>
      </header>
      <main>
        {(over || (shoots?.length === 0 && !sought) || sending.share !== null || imports.length > 0) && (
          <div className={over ? "drop over" : "drop"}>
            {sending.share !== null ? (
              <div className="progress upload" role="status">
                <div className="line">
                  <span>{sending.text}</span>
                  <span className="dim">{Math.round(sending.share * 100)} %</span>
                </div>
                <div className="bar">
                  <div style={{ width: `${sending.share * 100}%` }} />
                </div>
                <div>
                  <Button color="inherit" onClick={() => sending.stop?.()}>
                    Cancel
                  </Button>
                </div>
              </div>
            ) : imports.length > 0 ? (
              imports.map((job) => (
                <div key={job.id} className="upload">
                  <JobProgress job={job} />
                </div>
              ))
            ) : (
              <p>
                {over
                  ? "Let go to bring these frames in"
                  : "Drop frames here, or bring in a folder: a bracket or a stack becomes one scene. Exported scenes can be dropped, too."}
              </p>
            )}
          </div>
        )}
        {shoots?.length === 0 && sought && (
          <p className="dim">
            {looked.bin && !looked.words.trim() && !looked.choice ? "The bin is empty." : "No scene is like that."}
          </p>
        )}
        {shoots?.map((shoot) => (
          <section key={shoot.id} className="shoot" aria-label={shoot.name}>
            <header>
              <h1 aria-label={shoot.name}>
                <NameInput
                  key={shoot.name}
                  label={`Name of the shoot ${shoot.name}`}
                  name={shoot.name}
                  longest={200}
                  onName={(name) => {
                    void renameShoot(shoot.id, name);
                    return true;
                  }}
                />
              </h1>
              <span className="dim">
                {shoot.count === 1 ? "1 scene" : `${shoot.count} scenes`}, brought in {shoot.created.slice(0, 10)}
              </span>
              {shoot.count >= LEAST_SERIES && (
                <Link className="quiet" to={`/shoots/${shoot.id}/series`}>
                  as a series
                </Link>
              )}
              <ShootMenu shoot={shoot} others={shoots.filter((s) => s.id !== shoot.id)} />
            </header>
            {shoot.refusals.length > 0 && (
              <ul className="notes">
                {shoot.refusals.map((r) => (
                  <li key={r.name + r.reason}>
                    <span className="fault">{r.name}</span>: {r.reason}
                  </li>
                ))}
              </ul>
            )}
            <div className="scenes">
              {shoot.scenes.map((scene) => (
                <SceneCard key={scene.id} scene={scene} />
              ))}
            </div>
          </section>
        ))}
        {hasNextPage && <Further at={() => void fetchNextPage()} busy={isFetchingNextPage} />}
        <SignOut />
      </main>
      <Suspense>
        {shooting && <CameraDialog onClose={() => setShooting(false)} />}
        {choosing && <FolderDialog onClose={() => setChoosing(false)} />}
      </Suspense>
    </div>
  );
}
