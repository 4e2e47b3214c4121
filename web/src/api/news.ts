import { create } from "zustand";

import { api, type Job } from "./client";
import { Line } from "./socket";

interface SceneNews {
  id: number;
  revision: number;
  prepared: string | null;
  fault: string | null;
}

interface News {
  connected: boolean;
  database: boolean;
  /** What is the matter with the library, in words. */
  why: string | null;
  jobs: Record<number, Job>;
  scenes: Record<number, SceneNews>;
  /** Rises whenever something on the contact sheet may have changed. */
  edition: number;
}

/** What the server tells of jobs and scenes as they change, in this tab or another. */
export const useNews = create<News>(() => ({ connected: true, database: true, why: null, jobs: {}, scenes: {}, edition: 0 }));

export function startNews() {
  new Line(
    "/api/news",
    (data) => {
      const told = JSON.parse(data as string) as { database?: boolean; why?: string | null; jobs?: Job[]; scenes?: SceneNews[] };
      useNews.setState((s) => {
        const jobs = { ...s.jobs };
        let ended = false;
        for (const job of told.jobs ?? []) {
          ended ||= jobs[job.id]?.state !== job.state;
          jobs[job.id] = job;
        }
        const scenes = told.scenes ? Object.fromEntries(told.scenes.map((n) => [n.id, n])) : s.scenes;
        const moved = told.scenes?.some((n) => s.scenes[n.id]?.prepared !== n.prepared || !(n.id in s.scenes)) ?? false;
        return {
          database: told.database ?? s.database,
          why: told.database === undefined ? s.why : (told.why ?? null),
          jobs,
          scenes,
          edition: s.edition + (ended || moved || told.database ? 1 : 0),
        };
      });
    },
    (connected) => useNews.setState((s) => ({ connected, edition: s.edition + 1 })),
  );
}

export const isActive = (job: Job) => job.state === "waiting" || job.state === "running";

/** Seconds a running job still takes, if it can be told. */
export function secondsLeft(job: Job): number | null {
  if (job.state !== "running" || !job.started || job.share < 0.03) return null;
  const spent = (Date.parse(job.changed) - Date.parse(job.started)) / 1000;
  return (spent * (1 - job.share)) / job.share;
}

export async function cancelJob(id: number) {
  await api.POST("/api/jobs/{job_id}/cancel", { params: { path: { job_id: id } } });
}
