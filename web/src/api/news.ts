import { create } from "zustand";

import { api, type Job } from "./client";
import { deliveriesChanged, filmsChanged, modelsChanged, queries, shootsChanged } from "./queries";
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
}

/** What the server tells of jobs and scenes as they change, in this tab or another. */
export const useNews = create<News>(() => ({ connected: true, database: true, why: null, jobs: {}, scenes: {} }));

export function startNews() {
  new Line(
    "/api/news",
    (data) => {
      take(JSON.parse(data as string) as Told);
    },
    (connected) => {
      useNews.setState({ connected });
      // What happened meanwhile was not told.
      if (connected) void queries.invalidateQueries();
    },
  );
}

interface Told {
  database?: boolean;
  why?: string | null;
  jobs?: Job[];
  scenes?: SceneNews[];
}

/** Take news in, and let what it concerns be asked for again. */
export function take(told: Told) {
  const before = useNews.getState();
  const jobs = { ...before.jobs };
  let changed = told.database === true && !before.database;
  for (const job of told.jobs ?? []) {
    if (jobs[job.id]?.state !== job.state) {
      changed = true;
      if (job.kind === "fit") modelsChanged();
      if (job.kind === "film" && job.shoot_id !== null) filmsChanged(job.shoot_id);
      if (job.kind === "deliver" && job.scene_id !== null) deliveriesChanged(job.scene_id);
    }
    jobs[job.id] = job;
  }
  const scenes = told.scenes ? Object.fromEntries(told.scenes.map((n) => [n.id, n])) : before.scenes;
  changed ||= told.scenes?.some((n) => before.scenes[n.id]?.prepared !== n.prepared) ?? false;
  useNews.setState({
    database: told.database ?? before.database,
    why: told.database === undefined ? before.why : (told.why ?? null),
    jobs,
    scenes,
  });
  if (changed) shootsChanged();
}

/** The job that merges a scene now, or waits to. */
export const useMerging = (scene: number) =>
  useNews((s) => Object.values(s.jobs).find((j) => j.kind === "merge" && j.scene_id === scene && isActive(j)));

/** The newest job of a kind that is about a scene. */
export const useLastJob = (kind: Job["kind"], scene: number) =>
  useNews((s) =>
    Object.values(s.jobs)
      .filter((j) => j.kind === kind && j.scene_id === scene)
      .at(-1),
  );

/** A job once it has ended; a fault if it did not end well. */
export function ended(job: Job): Promise<Job> {
  return new Promise((resolve, reject) => {
    const look = (now: Job | undefined) => {
      if (!now || isActive(now)) return;
      stop();
      if (now.state === "done") resolve(now);
      else reject(new Error(now.fault ?? "It was cancelled."));
    };
    const stop = useNews.subscribe((news) => look(news.jobs[job.id]));
    look(isActive(job) ? useNews.getState().jobs[job.id] : job);
  });
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
