import { describe, expect, it } from "vitest";

import { boxBetween, draw, inWords, useCheck } from "./check";
import { useScene } from "./scene";

const found = (ratio: number[], smooth = true) =>
  ({ stop: -6, measured: ratio, predicted: [1, 1, 1], ratio, left: null, smooth }) as Parameters<typeof inWords>[0];

describe("a box that is checked", () => {
  it("lies between two places, whichever comes first", () => {
    expect(boxBetween([0.5, 0.25], [0.25, 0.5])).toEqual([0.25, 0.25, 0.25, 0.25]);
    expect(boxBetween([0.25, 0.25], [0.5, 0.5])).toEqual([0.25, 0.25, 0.25, 0.25]);
  });
  it("is forgotten with its places where another scene is drawn on", () => {
    const on = (id: number) => useScene.setState({ scene: { id } as never });
    on(1);
    draw([0, 0, 0.1, 0.1]);
    useCheck.setState({ places: [[0, 0, 0.1, 0.1]] });
    draw([0, 0, 0.2, 0.1]);
    expect(useCheck.getState()).toMatchObject({ scene: 1, box: [0, 0, 0.2, 0.1], places: [[0, 0, 0.1, 0.1]] });
    on(2);
    draw([0.5, 0.5, 0.1, 0.1]);
    expect(useCheck.getState()).toMatchObject({ scene: 2, box: [0.5, 0.5, 0.1, 0.1], places: [] });
  });
  it("tells in words whether noise is as predicted", () => {
    expect(inWords(found([1.01, 0.98, 1.02]))).toMatch(/as predicted/);
    expect(inWords(found([1.4, 1.5, 1.6]))).toMatch(/50 % more/);
    expect(inWords(found([0.7, 0.7, 0.7]))).toMatch(/30 % less/);
    expect(inWords(found([1, 1, 1], false))).toMatch(/texture/);
  });
});
