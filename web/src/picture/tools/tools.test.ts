import { beforeEach, describe, expect, it, vi } from "vitest";

import { api, type Scene, type Treatment } from "../../api/client";
import { STATION_NAMES } from "../../names";
import { MOST, READY, useAreas } from "../../state/areas";
import { gradientOf } from "../../state/parts";
import { useBrush } from "../../state/merging";
import { useEdges } from "../../state/edges";
import { rungAt, useScene } from "../../state/scene";
import { type Probe, useView } from "../../state/view";
import { KEYS } from "../../workbench/keys";
import { STATIONS, stationOf } from "../../workbench/stations";
import { PlaneMap, type Point } from "../map";
import { levelOf } from "../plumbline";
import { TOOLS, toolAt } from ".";
import type { Pointed } from "./tool";

const treatment = {
  placement: { on: true, rungs: [] },
  white_balance: { on: true },
  level: { on: false, angle: 0 },
  areas: [],
} as unknown as Treatment;
const pane = { width: 800, height: 600 };
/** The picture is the scene, 3000 by 2000 pixels. */
const corners = (width: number, height: number): Point[] => [
  [0, 0],
  [width, 0],
  [0, height],
  [width, height],
];
const map = new PlaneMap(
  { name: "whole", to_scene: corners(1, 2 / 3), to_plane: corners(3000, 2000), scene: [1, 2 / 3], long: 3000 },
  { width: 3000, height: 2000 },
);
const at = (changes: Partial<Pointed> = {}): Pointed => ({
  x: 400,
  y: 300,
  place: [1500, 1000],
  scene: [0.5, 1 / 3],
  lay: { pane, map, placing: { zoom: 2, left: -2600, top: -1700 } },
  zoomed: true,
  pressure: 1,
  rubs: false,
  straight: false,
  aside: false,
  selects: false,
  treatment,
  ...changes,
});

beforeEach(() => {
  useView.setState(useView.getInitialState(), true);
  useAreas.setState(useAreas.getInitialState(), true);
  useScene.setState({
    scene: { id: 3, instructions: { strokes: [] } } as unknown as Scene,
    treatment,
    storing: "stored",
    held: false,
  });
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
    const post = vi.spyOn(api, "POST").mockResolvedValue({ data: { temperature: 4000, tint: 2 }, response: {} });
    expect(TOOLS.neutral.down(at({ scene: [1.2, 0.5] }))).toBeNull();
    expect(post).not.toHaveBeenCalled();
    TOOLS.neutral.down(at());
    expect(post).toHaveBeenCalledTimes(1);
    expect((post.mock.calls[0][1] as unknown as { body: { place: Point } }).body.place).toEqual([0.5, 1 / 3]);
  });
  it("paint strokes, which are shown with those of their kind", () => {
    useScene.setState((s) => ({
      scene: { ...s.scene!, instructions: { strokes: [{ kind: "ground" }, { kind: "still" }] } } as unknown as Scene,
    }));
    useBrush.setState({ kind: "moved", frame: null, radius: 0.02, points: [] });
    const drag = TOOLS.brush.down(at())!;
    drag.move(at({ scene: [0.6, 1 / 3] }));
    expect(TOOLS.brush.strokes!().map((s) => s.kind)).toEqual(["still", "moved"]);
    drag.end();
    expect(useBrush.getState().points).toEqual([]);
    const sent = vi.mocked(api.PUT).mock.calls[0][1] as unknown as { body: { strokes: { points: number[][] }[] } };
    expect(sent.body.strokes.at(-1)!.points).toEqual([
      [0.5, 0.5],
      [0.6, 0.5],
    ]);
  });
  it("level the picture by a line, whichever way it is drawn", () => {
    expect(levelOf({ from: [0, 0], to: [1, 0.1] })).toBeCloseTo(-5.7106, 3);
    expect(levelOf({ from: [1, 0.1], to: [0, 0] })).toBeCloseTo(-5.7106, 3);
    expect(levelOf({ from: [0.5, 0], to: [0.52, 1] }), "a standing edge").toBeCloseTo(1.1458, 3);
    const drag = TOOLS.plumb.down(at({ place: [600, 900] }))!;
    drag.move(at({ x: 700, place: [2100, 960] }));
    drag.end();
    expect(useScene.getState().treatment!.level).toEqual({ on: true, angle: -2.29 });
    expect(useView.getState().tool).toBe("pan");
  });
  it("add to the turn that the picture has", () => {
    useScene.setState({ treatment: { ...treatment, level: { on: true, angle: 3 } } });
    const drag = TOOLS.plumb.down(at({ place: [600, 900] }))!;
    drag.move(at({ x: 700, place: [2100, 960] }));
    drag.end();
    expect(useScene.getState().treatment!.level.angle).toBeCloseTo(3 - 2.29, 6);
  });
  it("keep the edges that are drawn, up to four", () => {
    useView.setState({ tool: "edges" });
    for (let i = 0; i < 4; i++) {
      expect(useView.getState().tool).toBe("edges");
      const drag = TOOLS.edges.down(at({ scene: [0.2 + i / 10, 0.1] }))!;
      drag.move(at({ y: 500, scene: [0.21 + i / 10, 0.5] }));
      drag.end();
    }
    expect(useEdges.getState().edges.map(([from]) => from[0].toFixed(1))).toEqual(["0.2", "0.3", "0.4", "0.5"]);
    expect(useView.getState().tool).toBe("pan");
  });
  it("leave the level as it is where the line is too short to say", () => {
    const drag = TOOLS.plumb.down(at())!;
    drag.move(at({ x: 403, place: [1504, 1003] }));
    drag.end();
    expect(useScene.getState().treatment!.level.angle).toBe(0);
    expect(api.PUT).not.toHaveBeenCalled();
  });
  it("draw a gradient into a new area, with dials ready that bend nothing", () => {
    const drag = TOOLS.gradient.down(at({ scene: [0.5, 0.1] }))!;
    drag.move(at({ scene: [0.501, 0.1] }));
    expect(useScene.getState().treatment!.areas).toEqual([]);
    drag.move(at({ scene: [0.5, 0.4] }));
    drag.move(at({ scene: [0.5, 0.5] }));
    drag.end();
    const { areas } = useScene.getState().treatment!;
    expect(areas).toHaveLength(1);
    expect(areas[0].parts).toEqual([
      { ...gradientOf([0.5, 0.1], [0.5, 0.5]), id: expect.stringMatching(/^\w{8}$/) as string },
    ]);
    expect(areas[0].bends).toEqual(READY);
    expect(useAreas.getState()).toMatchObject({
      selected: areas[0].id,
      part: areas[0].parts[0].id,
      joins: "new",
      seeing: true,
    });
    expect(api.PUT).toHaveBeenCalledTimes(1);
  });
  it("draw an ellipse into the area that is selected, if it shall join", () => {
    for (const joins of ["new", "subtract"] as const) {
      useAreas.setState({ joins });
      const drag = TOOLS.ellipse.down(at({ scene: [0.5, 0.3] }))!;
      drag.move(at({ scene: [0.6, 0.35] }));
      drag.end();
    }
    const { areas } = useScene.getState().treatment!;
    expect(areas.map((a) => a.parts.length)).toEqual([2]);
    const part = areas[0].parts[1];
    expect(part.mode).toBe("subtract");
    expect(part.kind === "ellipse" && part.radii.map((r) => r.toFixed(3))).toEqual(["0.100", "0.050"]);
  });
  it("draw no more areas than a treatment has", () => {
    const part = gradientOf([0, 0], [1, 0]);
    const full = Array.from({ length: MOST }, () => ({ name: "x", on: true, parts: [part], bends: {} }));
    useScene.setState({ treatment: { ...treatment, areas: full } as unknown as Treatment });
    const drag = TOOLS.gradient.down(at({ scene: [0.5, 0.1] }))!;
    drag.move(at({ scene: [0.5, 0.5] }));
    drag.end();
    expect(useScene.getState().treatment!.areas).toHaveLength(MOST);
    expect(api.PUT).not.toHaveBeenCalled();
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
    for (const key of KEYS.filter((k) => /moved|ground of/i.test(k.says))) expect(key.station).toBe("merge");
    expect(stationOf("light").views).not.toContain("moved");
    expect(STATIONS.map((s) => s.name)).toEqual([...STATION_NAMES]);
  });
});
