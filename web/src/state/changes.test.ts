import { describe, expect, it } from "vitest";

import type { Step, Treatment } from "../api/client";
import { backToStart, changed } from "./changes";

const step = { name: "crop", defaults: { on: true, centre: null, ratio: "scene", places: [1, 2] } } as unknown as Step;
const holding = (crop: unknown) => ({ crop }) as unknown as Treatment;

describe("changes of a step", () => {
  it("are the values that depart from its defaults, whatever their kind", () => {
    expect(changed(step, holding({ on: true, centre: null, ratio: "scene", places: [1, 2] }))).toBe(0);
    expect(changed(step, holding({ on: false, centre: null, ratio: "scene", places: [1, 2] }))).toBe(1);
    expect(changed(step, holding({ on: true, centre: [0.5, 0.2], ratio: "3:2", places: [1, 3] }))).toBe(3);
  });

  it("are gone back at the start, and those of other steps are not", () => {
    const other = { exposure: { ev: 1 } };
    const before = { ...holding({ on: false, centre: [0.5, 0.2], ratio: "3:2", places: [] }), ...other } as Treatment;
    const after = backToStart(before, [step]);
    expect(changed(step, after)).toBe(0);
    expect(after).toMatchObject(other);
  });
});
