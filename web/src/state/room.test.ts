import { beforeEach, describe, expect, it } from "vitest";

import { toggleSides, useRoom } from "./room";

const hidden = () => useRoom.getState().hidden;

describe("room for the picture", () => {
  beforeEach(() => useRoom.setState({ hidden: { ladder: false, panel: false, lines: false } }));

  it("is made by one side or several, and given back", () => {
    toggleSides("ladder");
    expect(hidden()).toEqual({ ladder: true, panel: false, lines: false });
    // One that is away already does not come back by the others' going.
    toggleSides("ladder", "panel");
    expect(hidden()).toEqual({ ladder: true, panel: true, lines: false });
    toggleSides("ladder", "panel", "lines");
    expect(Object.values(hidden())).toEqual([true, true, true]);
    toggleSides("ladder", "panel", "lines");
    expect(Object.values(hidden())).toEqual([false, false, false]);
  });
});
