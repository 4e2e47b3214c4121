import { beforeEach, describe, expect, it, vi } from "vitest";

import type { Job } from "./client";
import { isActive, secondsLeft, take, useNews } from "./news";
import { queries } from "./queries";

const job = (changes: Partial<Job>): Job =>
  ({
    id: 1,
    kind: "merge",
    scene_id: 3,
    state: "running",
    share: 0.5,
    started: "2026-10-17T20:00:00Z",
    changed: "2026-10-17T20:00:10Z",
    ...changes,
  }) as Job;

beforeEach(() => useNews.setState(useNews.getInitialState(), true));

describe("news", () => {
  it("is kept, and lets the library be asked for again only when something ended or began", () => {
    const again = vi.spyOn(queries, "invalidateQueries").mockResolvedValue();
    take({ jobs: [job({})], scenes: [{ id: 3, revision: 1, prepared: "3-1", fault: null }] });
    expect(again).toHaveBeenCalledTimes(1);
    take({ jobs: [job({ share: 0.6 })] });
    expect(again).toHaveBeenCalledTimes(1);
    expect(useNews.getState().jobs[1].share).toBe(0.6);
    take({ jobs: [job({ state: "done" })] });
    expect(again).toHaveBeenCalledTimes(2);
    take({ scenes: [{ id: 3, revision: 9, prepared: "3-1", fault: null }] });
    expect(again, "an edit changes no card").toHaveBeenCalledTimes(2);
    take({ scenes: [{ id: 3, revision: 9, prepared: "3-2", fault: null }] });
    expect(again).toHaveBeenCalledTimes(3);
  });
  it("tells what is the matter, and when it no longer is", () => {
    take({ database: false, why: "The disk of the library is full: 0 MB free." });
    expect(useNews.getState()).toMatchObject({ database: false, why: "The disk of the library is full: 0 MB free." });
    take({ jobs: [] });
    expect(useNews.getState().why).toContain("full");
    take({ database: true });
    expect(useNews.getState()).toMatchObject({ database: true, why: null });
  });
  it("lets deliveries be asked for again when one ends", () => {
    const again = vi.spyOn(queries, "invalidateQueries").mockResolvedValue();
    again.mockClear();
    take({ jobs: [job({ id: 7, kind: "deliver", state: "done" })] });
    expect(again.mock.calls.map((c) => c[0]?.queryKey)).toContainEqual(["deliveries", 3]);
  });
});

describe("a running job", () => {
  it("tells how long it still takes, once it can", () => {
    expect(secondsLeft(job({ share: 0.5 }))).toBeCloseTo(10, 6);
    expect(secondsLeft(job({ share: 0.01 }))).toBeNull();
    expect(secondsLeft(job({ state: "waiting" }))).toBeNull();
    expect(isActive(job({ state: "failed" }))).toBe(false);
  });
});
