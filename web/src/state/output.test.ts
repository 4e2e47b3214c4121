import { beforeEach, describe, expect, it } from "vitest";

import { longEdge, setOutput, useOutput } from "./output";

describe("how large the picture will be", () => {
  beforeEach(() => useOutput.setState({ by: "full", pixels: 2048, cm: 40, dpi: 300 }));
  const at = (by: "full" | "pixels" | "print") => longEdge({ ...useOutput.getState(), by });

  it("is full size, pixels of the longer side, or a print by its size and density", () => {
    expect([at("full"), at("pixels"), at("print")]).toEqual([null, 2048, Math.round((40 / 2.54) * 300)]);
  });
  it("is taken as far as it can be", () => {
    setOutput("pixels", 3);
    setOutput("dpi", 1e9);
    setOutput("cm", 29.7);
    expect(useOutput.getState()).toMatchObject({ pixels: 16, dpi: 2400, cm: 29.7 });
    expect(longEdge({ by: "print", pixels: 1, cm: 1000, dpi: 2400 })).toBeLessThanOrEqual(200000);
  });
});
