import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";

import { api, type Scene, type Treatment } from "../api/client";
import { forgetScene, hold, loadScene, preview, redo, release, rungAt, store, undo, useScene, withRung } from "./scene";
import { useMessages } from "./messages";
import { withValue } from "./values";

const treatment = {
  exposure: { on: true, ev: null },
  placement: { on: true, rungs: [{ stop: -4, ev: 0.8 }] },
} as unknown as Treatment;
const ev = ["exposure", "ev"];

interface Sent {
  params: { path: { scene_id: number } };
  body: { parent: number; label: string; changes: { path: string[]; value: unknown }[] };
}

const answer = (status: number, body: unknown) => ({
  data: status < 300 ? body : undefined,
  error: status < 300 ? undefined : body,
  response: { status } as Response,
});
const state = (revision: number, document: Treatment = treatment) => ({
  treatment: document,
  revision,
  label: "x",
  can_undo: true,
  can_redo: false,
});

beforeEach(() => {
  vi.useFakeTimers();
  useScene.setState({
    scene: { id: 3, treatment, revision: 10 } as unknown as Scene,
    treatment,
    revision: 10,
    storing: "stored",
    held: false,
  });
  useMessages.setState({ list: [] });
});
afterEach(() => {
  vi.restoreAllMocks();
  vi.useRealTimers();
});

describe("rungs", () => {
  it("are moved, put in order, held to eight stops, and gone at nothing", () => {
    expect(rungAt(treatment, -4)).toBe(0.8);
    expect(rungAt(treatment, 0)).toBe(0);
    const two = withRung(treatment, -6, 1.234);
    expect(two.placement.rungs).toEqual([
      { stop: -6, ev: 1.25 },
      { stop: -4, ev: 0.8 },
    ]);
    expect(rungAt(withRung(treatment, -4, 99), -4)).toBe(8);
    expect(withRung(treatment, -4, 0.01).placement.rungs).toEqual([]);
  });
});

describe("storing", () => {
  it("sends the newest state with the revision it was made from", async () => {
    const put = vi.spyOn(api, "PUT").mockResolvedValue(answer(200, state(11)) as never);
    preview((t) => withValue(t, ev, 2));
    store("Exposure");
    expect(useScene.getState().storing).toBe("storing");
    await vi.runAllTimersAsync();
    const sent = put.mock.calls[0][1] as unknown as Sent;
    expect(sent.body).toEqual({ parent: 10, label: "Exposure", changes: [{ path: ev, value: 2 }] });
    expect(useScene.getState()).toMatchObject({ storing: "stored", revision: 11 });
  });
  it("keeps instructions that were given since it was asked", async () => {
    let late: (v: unknown) => void = () => {};
    vi.spyOn(api, "GET").mockReturnValue(new Promise((done) => (late = done)) as never);
    const loading = loadScene(3);
    const given = { reference: "b.dng" };
    useScene.setState((s) => ({ scene: { ...s.scene!, instructions: given } as unknown as Scene }));
    late(answer(200, { id: 3, treatment, revision: 10, can_undo: false, can_redo: false, instructions: {} }));
    await loading;
    expect(useScene.getState().scene!.instructions).toEqual(given);
  });
  it("loses no change back to what an answer that is late still tells", async () => {
    let late: (v: unknown) => void = () => {};
    vi.spyOn(api, "GET").mockReturnValue(new Promise((done) => (late = done)) as never);
    const put = vi.spyOn(api, "PUT").mockResolvedValue(answer(200, state(11)) as never);
    const loading = loadScene(3);
    preview((t) => withValue(t, ev, 2));
    store("Exposure");
    await vi.runAllTimersAsync();
    // What the server told before it stored that.
    late(answer(200, { id: 3, treatment, revision: 10 }));
    await loading;
    preview((t) => withValue(t, ev, null));
    store("Automatic");
    await vi.runAllTimersAsync();
    expect(put).toHaveBeenCalledTimes(2);
    const sent = put.mock.calls[1][1] as unknown as Sent;
    expect(sent.body).toMatchObject({ parent: 11, changes: [{ path: ev, value: null }] });
  });
  it("tries again until the database is back, and says so meanwhile", async () => {
    const put = vi
      .spyOn(api, "PUT")
      .mockResolvedValueOnce(answer(503, { detail: "away", kind: "database" }) as never)
      .mockRejectedValueOnce(new TypeError("no network"))
      .mockResolvedValue(answer(200, state(12)) as never);
    preview((t) => withValue(t, ev, 2));
    store("Exposure");
    await vi.advanceTimersByTimeAsync(10);
    expect(useScene.getState().storing).toBe("waiting");
    await vi.advanceTimersByTimeAsync(2500);
    expect(put).toHaveBeenCalledTimes(3);
    expect(useScene.getState()).toMatchObject({ storing: "stored", revision: 12 });
    expect(useMessages.getState().list).toEqual([]);
  });
  it("gives way where another window was first, and shows what is stored there", async () => {
    const theirs = withValue(treatment, ev, -3);
    vi.spyOn(api, "PUT").mockResolvedValue(
      answer(409, { detail: "changed in another window", kind: "stale" }) as never,
    );
    vi.spyOn(api, "GET").mockResolvedValue(
      answer(200, { id: 3, treatment: theirs, revision: 15, can_undo: true, can_redo: false }) as never,
    );
    preview((t) => withValue(t, ev, 2));
    store("Exposure");
    await vi.runAllTimersAsync();
    expect(useScene.getState()).toMatchObject({ revision: 15, treatment: theirs });
    expect(useMessages.getState().list[0].text).toContain("another window");
  });
  it("goes on top of what another window has stored meanwhile, and says so", async () => {
    const theirs = withValue(treatment, ["exposure", "on"], false);
    const put = vi
      .spyOn(api, "PUT")
      .mockResolvedValueOnce(answer(409, { detail: "changed in another window", kind: "stale" }) as never)
      .mockResolvedValue(answer(200, state(16)) as never);
    vi.spyOn(api, "GET")
      .mockResolvedValueOnce(answer(200, { id: 3, treatment: theirs, revision: 15 }) as never)
      .mockResolvedValue(
        answer(200, { id: 3, treatment: withValue(theirs, ev, 2), revision: 16, can_undo: true }) as never,
      );
    preview((t) => withValue(t, ev, 2));
    store("Exposure");
    await vi.runAllTimersAsync();
    const sent = put.mock.calls.map((c) => (c[1] as unknown as Sent).body);
    expect(sent.map((b) => [b.changes[0].value, b.parent])).toEqual([
      [2, 10],
      [2, 15],
    ]);
    expect(useScene.getState()).toMatchObject({ revision: 16, treatment: withValue(theirs, ev, 2), storing: "stored" });
    expect(useMessages.getState().list[0].text).toContain("both changes are kept");
  });
  it("makes one of changes of one kind that wait, and keeps those of others apart", async () => {
    let release: (answered: unknown) => void = () => undefined;
    const put = vi.spyOn(api, "PUT").mockImplementationOnce(() => new Promise((done) => (release = done)) as never);
    put.mockResolvedValueOnce(answer(200, state(12)) as never).mockResolvedValue(answer(200, state(13)) as never);
    for (const value of [1, 2, 3]) {
      preview((t) => withValue(t, ev, value));
      store("Exposure");
    }
    preview((t) => withValue(t, ["exposure", "on"], false));
    store("Exposure off");
    release(answer(200, state(11)));
    await vi.runAllTimersAsync();
    const sent = put.mock.calls.map((c) => (c[1] as unknown as Sent).body);
    expect(sent.map((b) => [b.label, b.changes[0].value, b.parent])).toEqual([
      ["Exposure", 1, 10],
      ["Exposure", 3, 11],
      ["Exposure off", false, 12],
    ]);
    expect(useScene.getState().revision).toBe(13);
  });
  it("stores nothing where nothing is other", async () => {
    const put = vi.spyOn(api, "PUT");
    store("Exposure");
    await vi.runAllTimersAsync();
    expect(put).not.toHaveBeenCalled();
    expect(useScene.getState().storing).toBe("stored");
  });
});

describe("another scene opened while a change waits", () => {
  const other = { id: 4, treatment, revision: 50 } as unknown as Scene;

  it("gets nothing of it: the change goes where it was made", async () => {
    const put = vi.spyOn(api, "PUT").mockResolvedValueOnce(answer(503, { detail: "away", kind: "database" }) as never);
    put.mockResolvedValue(answer(200, state(11)) as never);
    vi.spyOn(api, "GET").mockResolvedValue(answer(200, { ...other, can_undo: false, can_redo: false }) as never);
    preview((t) => withValue(t, ev, 2));
    store("Exposure");
    await vi.advanceTimersByTimeAsync(10);
    expect(useScene.getState().storing).toBe("waiting");
    forgetScene();
    await loadScene(4);
    await vi.advanceTimersByTimeAsync(2500);
    expect(put.mock.calls.map((c) => (c[1] as unknown as Sent).params.path.scene_id)).toEqual([3, 3]);
    expect(useScene.getState()).toMatchObject({ scene: { id: 4 }, revision: 50, storing: "stored", canUndo: false });
    expect(useScene.getState().treatment).toEqual(treatment);
  });
  it("can be changed itself, and what waits goes on even while none is in view", async () => {
    let away = true;
    const put = vi
      .spyOn(api, "PUT")
      .mockImplementation(
        () =>
          Promise.resolve(answer(away ? 503 : 200, away ? { detail: "away", kind: "database" } : state(60))) as never,
      );
    vi.spyOn(api, "GET").mockResolvedValue(answer(200, { ...other, can_undo: false, can_redo: false }) as never);
    preview((t) => withValue(t, ev, 2));
    store("Exposure");
    await vi.advanceTimersByTimeAsync(10);
    forgetScene();
    await vi.advanceTimersByTimeAsync(2500);
    await loadScene(4);
    preview((t) => withValue(t, ev, -1));
    store("Exposure");
    await vi.advanceTimersByTimeAsync(1500);
    away = false;
    await vi.advanceTimersByTimeAsync(2500);
    const sent = new Map(
      put.mock.calls.map((c) => [(c[1] as unknown as Sent).params.path.scene_id, (c[1] as unknown as Sent).body]),
    );
    expect(sent.get(3)).toMatchObject({ parent: 10, changes: [{ value: 2 }] });
    expect(sent.get(4)).toMatchObject({ parent: 50, changes: [{ value: -1 }] });
    expect(useScene.getState()).toMatchObject({ storing: "stored", revision: 60 });
  });
});

describe("undo and redo", () => {
  it("take over what the server says", async () => {
    const before = withValue(treatment, ev, 0.5);
    vi.spyOn(api, "POST").mockResolvedValue(answer(200, state(9, before)));
    await undo();
    expect(useScene.getState()).toMatchObject({ treatment: before, revision: 9, storing: "stored" });
    await redo();
    expect(vi.mocked(api.POST).mock.calls.map((c) => c[0])).toEqual([
      "/api/scenes/{scene_id}/undo",
      "/api/scenes/{scene_id}/redo",
    ]);
  });
});

describe("undo while a change is on its way", () => {
  it("waits for it, and takes it back", async () => {
    let release: (answered: unknown) => void = () => undefined;
    vi.spyOn(api, "PUT").mockImplementationOnce(() => new Promise((done) => (release = done)) as never);
    const post = vi.spyOn(api, "POST").mockResolvedValue(answer(200, state(10)));
    preview((t) => withValue(t, ev, 2));
    store("Exposure");
    const done = undo();
    await vi.advanceTimersByTimeAsync(50);
    expect(post).not.toHaveBeenCalled();
    release(answer(200, state(11)));
    await done;
    expect(post).toHaveBeenCalledTimes(1);
    expect(useScene.getState()).toMatchObject({ treatment, revision: 10, storing: "stored" });
  });
});

describe("steps asked for in haste", () => {
  it("go one after the other, so that no answer overtakes another", async () => {
    let release: (answered: unknown) => void = () => undefined;
    const post = vi.spyOn(api, "POST").mockImplementationOnce(() => new Promise((done) => (release = done)) as never);
    post.mockResolvedValue(answer(200, state(8)));
    const both = Promise.all([undo(), undo()]);
    await vi.advanceTimersByTimeAsync(50);
    expect(post).toHaveBeenCalledTimes(1);
    release(answer(200, state(9)));
    await both;
    expect(post).toHaveBeenCalledTimes(2);
    expect(useScene.getState()).toMatchObject({ revision: 8, storing: "stored" });
  });
});

describe("news of the scene", () => {
  it("never changes the treatment under a held dial", async () => {
    const theirs = withValue(treatment, ev, -3);
    vi.spyOn(api, "GET").mockResolvedValue(
      answer(200, { id: 3, treatment: theirs, revision: 15, can_undo: true, can_redo: false }) as never,
    );
    hold("limits");
    expect(useScene.getState().heldView).toBe("limits");
    await loadScene(3);
    expect(useScene.getState().treatment).toBe(treatment);
    release();
    await loadScene(3);
    expect(useScene.getState().treatment).toEqual(theirs);
  });
});
