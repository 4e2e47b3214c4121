import { Link } from "react-router-dom";

import type { SceneSummary } from "../api/client";
import { useMerging } from "../api/news";
import { NameInput } from "../panel/NameInput";
import { changeScene, MOST_CHOICE } from "../state/library";
import { ExposureBars } from "./ExposureBars";

/** A scene on the contact sheet: its picture leads to the workbench; its name, its marks and the bin are at its foot. */
export function SceneCard({ scene }: { scene: SceneSummary }) {
  const merging = useMerging(scene.id);
  const count = scene.frames.filter((f) => f.kind === "light").length;
  const range = scene.low_stop != null && scene.high_stop != null ? scene.high_stop - scene.low_stop : null;
  return (
    <article className="scene" aria-label={scene.title}>
      <Link className="open" to={`/scenes/${scene.id}/${scene.ready ? "light" : "frames"}`} title={scene.title}>
        <div className="image">
          {scene.picture_version ? (
            <img
              src={`/api/scenes/${scene.id}/picture.jpg?v=${scene.picture_version}`}
              alt={scene.title}
              loading="lazy"
            />
          ) : (
            <span className="dim">{merging ? merging.text : (scene.fault ?? "Not merged yet")}</span>
          )}
        </div>
        <div className="bars">
          <ExposureBars frames={scene.frames.filter((f) => f.kind === "light")} height={214} />
        </div>
      </Link>
      <footer>
        <NameInput
          key={scene.title}
          label={`Name of ${scene.title}`}
          name={scene.title}
          longest={200}
          onName={(title) => {
            void changeScene(scene.id, { title });
            return true;
          }}
        />
        <span className="dim">
          {merging
            ? `${merging.text}, ${Math.round(merging.share * 100)} %`
            : `${count} ${count === 1 ? "frame" : "frames"}${range === null ? "" : `, ${range.toFixed(1)} stops`}`}
        </span>
      </footer>
      <div className="order">
        <Choice scene={scene} />
        <a
          className="quiet"
          href={`/api/scenes/${scene.id}/scene.crenn`}
          download
          title="The whole scene as one file: frames, takes with their history, marks; it can be brought in elsewhere"
        >
          export
        </a>
        <button className="quiet" onClick={() => void changeScene(scene.id, { binned: !scene.binned })}>
          {scene.binned ? "back from the bin" : "into the bin"}
        </button>
      </div>
    </article>
  );
}

/** Marks of choice: a click sets so many, on the last one that is set takes all away. */
function Choice({ scene }: { scene: SceneSummary }) {
  return (
    <span className="marks" role="group" aria-label={`Choice of ${scene.title}`}>
      {Array.from({ length: MOST_CHOICE }, (_, i) => i + 1).map((count) => (
        <button
          key={count}
          aria-label={`${count} of ${MOST_CHOICE}`}
          aria-pressed={scene.choice >= count}
          onClick={() => void changeScene(scene.id, { choice: scene.choice === count ? 0 : count })}
        />
      ))}
    </span>
  );
}
