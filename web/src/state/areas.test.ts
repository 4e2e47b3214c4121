import { beforeEach, describe, expect, it, vi } from "vitest";

import { api, type Area, type Scene, type Treatment } from "../api/client";
import {
  addPart,
  areas,
  beginPart,
  duplicateArea,
  moveArea,
  MOST,
  READY,
  removeArea,
  select,
  toggleAll,
  useAreas,
} from "./areas";
import { ellipseOf, foundOf, gradientOf } from "./parts";
import { hold, release, useScene } from "./scene";

const disc = ellipseOf([0.5, 0.3], [0.2, 0.1]);

beforeEach(() => {
  useAreas.setState(useAreas.getInitialState(), true);
  const treatment = { areas: [] } as unknown as Treatment;
  useScene.setState({ scene: { id: 3, treatment } as unknown as Scene, treatment, storing: "stored", held: false });
  vi.restoreAllMocks();
  vi.spyOn(api, "PUT").mockResolvedValue({ data: { revision: 1 }, response: {} } as never);
});

describe("areas", () => {
  it("begin with dials at hand that bend nothing, and a name of their own", () => {
    addPart(foundOf("sky"));
    addPart(foundOf("sky"));
    expect(areas().map((a) => a.name)).toEqual(["Sky", "Sky 2"]);
    expect(areas()[0].bends).toEqual(READY);
    expect(useAreas.getState()).toMatchObject({ selected: areas()[1].id, part: areas()[1].parts[0].id, seeing: true });
  });
  it("take further parts in the way that is chosen", () => {
    addPart(disc);
    for (const joins of ["add", "subtract", "intersect"] as const) {
      useAreas.setState({ joins });
      expect(beginPart(gradientOf([0, 0], [1, 0]))).not.toBeNull();
    }
    expect(areas()).toHaveLength(1);
    expect(areas()[0].parts.map((p) => p.mode)).toEqual(["add", "add", "subtract", "intersect"]);
  });
  it("are no more than a treatment has", () => {
    for (let i = 0; i < MOST; i++) addPart(disc);
    expect(beginPart(disc)).toBeNull();
    expect(areas()).toHaveLength(MOST);
  });
  it("are moved in the list, and stay selected", () => {
    for (const what of ["sky", "ground", "water"] as const) addPart(foundOf(what));
    moveArea(2, 0);
    expect(areas().map((a) => a.name)).toEqual(["Water", "Sky", "Ground"]);
    expect(useAreas.getState().selected).toBe(areas()[0].id);
    moveArea(0, -1);
    expect(areas()[0].name).toBe("Water");
  });
  it("are all switched off, and those on again that were", () => {
    for (let i = 0; i < 3; i++) addPart(disc);
    useScene.setState((s) => ({
      treatment: { ...s.treatment!, areas: s.treatment!.areas.map((a, i): Area => ({ ...a, on: i !== 1 })) },
    }));
    toggleAll();
    expect(areas().map((a) => a.on)).toEqual([false, false, false]);
    toggleAll();
    expect(areas().map((a) => a.on)).toEqual([true, false, true]);
  });
  it("are duplicated with what they bend, and inverse with nothing bent", () => {
    addPart(disc, { name: "Pool", bends: { "exposure.ev": 1 } });
    duplicateArea(areas()[0], false);
    duplicateArea(areas()[0], true);
    expect(areas().map((a) => [a.name, a.bends["exposure.ev"]])).toEqual([
      ["Pool", 1],
      ["Pool 2", 1],
      ["All but Pool", 0],
    ]);
    expect(areas().map((a) => a.invert)).toEqual([false, false, true]);
    expect(new Set(areas().flatMap((a) => [a.id, ...a.parts.map((p) => p.id)])).size).toBe(6);
    removeArea(areas()[2]);
    expect(useAreas.getState().selected).toBeNull();
  });
  it("show their mask until something is dialled", () => {
    addPart(disc);
    select(areas()[0].id);
    hold("area");
    release();
    expect(useAreas.getState().seeing).toBe(true);
    hold();
    release();
    expect(useAreas.getState().seeing).toBe(false);
  });
});
