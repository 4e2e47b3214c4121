import { Link } from "react-router-dom";

import type { SceneSummary } from "../api/client";
import { useMerging } from "../api/news";
import { ExposureBars } from "./ExposureBars";

export function SceneCard({ scene }: { scene: SceneSummary }) {
  const merging = useMerging(scene.id);
  const count = scene.frames.filter((f) => f.kind === "light").length;
  const range = scene.low_stop != null && scene.high_stop != null ? scene.high_stop - scene.low_stop : null;
  return (
    <Link className="scene" to={`/scenes/${scene.id}/${scene.ready ? "light" : "frames"}`}>
      <div className="image">
        {scene.picture_version ? (
          <img src={`/api/scenes/${scene.id}/picture.jpg?v=${scene.picture_version}`} alt={scene.title} />
        ) : (
          <span className="dim">{merging ? merging.text : (scene.fault ?? "Not merged yet")}</span>
        )}
      </div>
      <div className="bars">
        <ExposureBars frames={scene.frames.filter((f) => f.kind === "light")} height={214} />
      </div>
      <footer>
        <span>{scene.title}</span>
        <span className="dim">
          {merging
            ? `${merging.text}, ${Math.round(merging.share * 100)} %`
            : `${count} ${count === 1 ? "frame" : "frames"}${range === null ? "" : `, ${range.toFixed(1)} stops`}`}
        </span>
      </footer>
    </Link>
  );
}
