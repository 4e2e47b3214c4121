import { beforeEach, describe, expect, it, vi } from "vitest";

import { api, type Scene, type Treatment } from "../../api/client";
import { useBrush } from "../../state/merging";
import { rungAt, useScene } from "../../state/scene";
import { type Probe, useView } from "../../state/view";
import { KEYS } from "../../workbench/keys";
import { STATION_NAMES, VIEWS_OF } from "../../workbench/stations";
import { TOOLS, toolAt } from ".";
import type { Pointed } from "./tool";

const treatment = { placement: { on: true, rungs: [] }, white_balance: { on: true } } as unknown as Treatment;
const pane = { width: 800, height: 600 };
const at = (changes: Partial<Pointed> = {}): Pointed => ({
  x: 400,
  y: 300,
  place: [1500, 1000],
  share: [0.5, 0.5],
  pane,
  placing: { zoom: 2, left: -2600, top: -1700 },
  zoomed: true,
  treatment,
  ...changes,
});

beforeEach(() => {
  useView.setState(useView.getInitialState(), true);
  useScene.setState({ scene: { id: 3, instructions: { strokes: [] } } as unknown as Scene, treatment, storing: "stored", held: false });
  vi.restoreAllMocks();
  vi.spyOn(api, "PUT").mockResolvedValue({ data: { revision: 1 }, response: {} } as never);
});

describe("tools", () => {
  it("are put down where they do not belong", () => {
    expect(toolAt("light", "place")).toBe("place");
    expect(toolAt("merge", "place")).toBe("pan");
    expect(toolAt("light", "brush")).toBe("pan");
    for (const station of STATION_NAMES) expect(toolAt(station, "pan")).toBe("pan");
  });
  it("move the picture with the pointer, at its scale", () => {
    const drag = TOOLS.pan.down(at())!;
    drag.move(at({ x: 420, y: 290 }));
    expect(useView.getState().centre).toEqual([1500 - 10, 1000 + 5]);
    expect(drag.coarse).toBe(true);
    expect(TOOLS.pan.down(at({ zoomed: false }))).toBeNull();
  });
  it("place the stop under the pointer, seventy pixels a stop", () => {
    expect(TOOLS.place.down(at()), "nothing is known of the place").toBeNull();
    useView.setState({ probe: { stop: -3.8 } as Probe });
    const drag = TOOLS.place.down(at())!;
    expect(useScene.getState().held).toBe(true);
    drag.move(at({ y: 300 - 35 }));
    expect(rungAt(useScene.getState().treatment!, -4)).toBe(0.5);
    drag.end();
    expect(useScene.getState().held).toBe(false);
    expect(api.PUT).toHaveBeenCalled();
  });
  it("take the white balance from a place of the picture alone", () => {
    const post = vi.spyOn(api, "POST").mockResolvedValue({ data: { temperature: 4000, tint: 2 }, response: {} } as never);
    expect(TOOLS.neutral.down(at({ share: [1.2, 0.5] }))).toBeNull();
    expect(post).not.toHaveBeenCalled();
    TOOLS.neutral.down(at());
    expect(post).toHaveBeenCalledTimes(1);
  });
  it("paint strokes, which are shown with those of their kind", () => {
    useScene.setState((s) => ({ scene: { ...s.scene!, instructions: { strokes: [{ kind: "ground" }, { kind: "still" }] } } as unknown as Scene }));
    useBrush.setState({ kind: "moved", frame: null, radius: 0.02, points: [] });
    const drag = TOOLS.brush.down(at())!;
    drag.move(at({ share: [0.6, 0.5] }));
    expect(TOOLS.brush.strokes!().map((s) => s.kind)).toEqual(["still", "moved"]);
    drag.end();
    expect(useBrush.getState().points).toEqual([]);
    const sent = vi.mocked(api.PUT).mock.calls[0][1] as unknown as { body: { strokes: { points: number[][] }[] } };
    expect(sent.body.strokes.at(-1)!.points).toEqual([
      [0.5, 0.5],
      [0.6, 0.5],
    ]);
  });
});

describe("keys", () => {
  it("stand in the list once each, and none does two things in one station", () => {
    expect(new Set(KEYS.map((k) => k.says)).size).toBe(KEYS.length);
    for (const station of STATION_NAMES) {
      const keys = KEYS.filter((k) => !k.station || k.station === station).flatMap((k) => k.keys ?? []);
      expect(new Set(keys).size, station).toBe(keys.length);
    }
  });
  it("show views only where they can be looked at", () => {
    for (const key of KEYS.filter((k) => ["M", "G"].includes(k.shown))) expect(key.station).toBe("merge");
    expect(VIEWS_OF.light).not.toContain("moved");
  });
});
