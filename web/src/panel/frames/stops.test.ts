import { describe, expect, it } from "vitest";

import { parseStops } from "./stops";

describe("a filter's strength", () => {
  it("is told in stops, as a factor or as a density", () => {
    expect(parseStops("10")).toBe(10);
    expect(parseStops(" 6.6 stops ")).toBe(6.6);
    expect(parseStops("1000×")).toBe(9.97);
    expect(parseStops("64x")).toBe(6);
    expect(parseStops("ND 3.0")).toBe(9.97);
    expect(parseStops("nd64")).toBe(6);
    expect(parseStops("0,9 ev")).toBe(0.9);
  });

  it("is nothing else", () => {
    for (const text of ["", "dark", "-3", "31", "0.5x", "10 km"]) expect(parseStops(text)).toBeNull();
  });
});
