import type { Job, Output } from "../../api/client";
import { isActive, useNews } from "../../api/news";
import { useDeliveries } from "../../api/queries";
import { useOutputs } from "../../state/delivering";
import { bytes } from "../../units";
import { FileLine } from "./FileLine";
import { inWords } from "./words";

interface Result {
  name: string;
  bytes: number;
  width?: number;
  height?: number;
  quality?: number | null;
}

/** Files that were delivered from a scene, the newest first. */
export function Delivered({ scene }: { scene: number }) {
  const jobs = useNews((s) => s.jobs);
  const past = (useDeliveries(scene).data ?? []).map((job) => jobs[job.id] ?? job).filter((job) => !isActive(job));
  const done = past.filter((job) => job.state === "done" && job.result);
  if (past.length === 0) return null;
  return (
    <>
      <div className="group">
        <h3>Delivered</h3>
        {done.length > 1 && (
          <a className="active" href={`/api/deliveries.zip?${done.map((job) => `job=${job.id}`).join("&")}`} download>
            all as ZIP
          </a>
        )}
      </div>
      <div className="stack">
        {past.map((job) => (
          <File key={job.id} job={job} />
        ))}
      </div>
    </>
  );
}

function File({ job }: { job: Job }) {
  const output = job.options.output as Output | undefined;
  const result = job.result as Result | null;
  const label = output?.size ? inWords(output) : "Mask of an area, PNG";
  if (job.state === "failed")
    return (
      <p className="fault">
        {label}: {job.fault}
      </p>
    );
  if (job.state !== "done" || !result) return null;
  const facts = [
    result.width ? `${result.width} × ${result.height} px` : null,
    result.quality && output?.most_kb ? `quality ${result.quality}` : null,
    bytes(result.bytes),
  ];
  return (
    <FileLine job={job.id} name={result.name} title={label} facts={facts.filter(Boolean).join(", ")}>
      {output?.about && (
        <button
          className="quiet"
          title={`Set up once more: ${label}`}
          onClick={() => useOutputs.setState({ list: [output], open: 0, set: "" })}
        >
          the same again
        </button>
      )}
    </FileLine>
  );
}
