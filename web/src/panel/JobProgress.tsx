import { Button } from "@mui/material";

import type { Job } from "../api/client";
import { cancelJob, isActive, secondsLeft } from "../api/news";
import { duration } from "../units";

/** How far a job is, how long it still takes, and a way to stop it. */
export function JobProgress({ job }: { job: Job }) {
  if (!isActive(job)) return null;
  const left = secondsLeft(job);
  return (
    <div className="progress" role="status">
      <div className="line">
        <span>{job.cancelling ? "Stopping" : job.text}</span>
        <span className="dim">{left === null ? `${Math.round(job.share * 100)} %` : duration(left)}</span>
      </div>
      <div
        className="bar"
        role="progressbar"
        aria-valuenow={Math.round(job.share * 100)}
        aria-valuemin={0}
        aria-valuemax={100}
        aria-label={job.text}
      >
        <div style={{ width: `${job.share * 100}%` }} />
      </div>
      <div>
        <Button
          size="small"
          variant="text"
          color="inherit"
          disabled={job.cancelling}
          onClick={() => void cancelJob(job.id)}
        >
          Cancel
        </Button>
      </div>
    </div>
  );
}
