import { describe, expect, it } from "vitest";

import { grouped } from "./keyGroups";
import { KEYS } from "./keys";

describe("keys", () => {
  it("of the present station stand first, and none is left out", () => {
    const groups = grouped(KEYS, "areas", "");
    expect(groups[0].title).toBe("At Areas");
    expect(groups[1].title).toBe("Everywhere");
    expect(groups.flatMap((g) => g.keys)).toHaveLength(KEYS.length);
  });

  it("are found by what they do and by how they are written", () => {
    const says = (sought: string) => grouped(KEYS, "light", sought).flatMap((g) => g.keys.map((k) => k.says));
    expect(says("loupe")).toHaveLength(1);
    expect(says("view stops")).toContain("Stops view");
    expect(says("shift z")).toContain("200 % and back");
    expect(says("nothing of the kind")).toHaveLength(0);
  });
});
