import { beforeEach, describe, expect, it, vi } from "vitest";

import { api, type Area, type Part, type Scene, type Treatment } from "../api/client";
import {
  addPart,
  areas,
  beginPart,
  duplicateArea,
  inverted,
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

/** The mask of parts that are each full or nothing somewhere, as the server puts them together. */
function mask(parts: Part[], shares: number[]): number {
  let out: number | null = null;
  parts.forEach((part, i) => {
    const own = part.invert ? 1 - shares[i] : shares[i];
    if (out === null) out = part.mode === "subtract" ? 1 - own : own;
    else if (part.mode === "add") out = out + own - out * own;
    else out *= part.mode === "subtract" ? 1 - own : own;
  });
  return out ?? 0;
}

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
    expect(areas()[2].parts[0].invert).toBe(true);
    expect(new Set(areas().flatMap((a) => [a.id, ...a.parts.map((p) => p.id)])).size).toBe(6);
    removeArea(areas()[2]);
    expect(useAreas.getState().selected).toBeNull();
  });
  it("are covered nowhere by their inverse, however parts go together", () => {
    const modes = ["add", "subtract", "intersect"] as const;
    for (const first of modes)
      for (const second of modes)
        for (const third of modes)
          for (let bits = 0; bits < 8; bits++) {
            const parts = [first, second, third].map((mode, i): Part => ({ ...disc, mode, invert: i === 1 }));
            const shares = [0, 1, 2].map((i) => (bits >> i) & 1);
            expect(mask(inverted(parts), shares), `${first} ${second} ${third} ${bits}`).toBe(1 - mask(parts, shares));
          }
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
