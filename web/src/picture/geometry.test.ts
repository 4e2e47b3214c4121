import { describe, expect, it } from "vitest";

import { fitted, place, visible } from "./geometry";

const picture = { width: 3000, height: 2000 };
const pane = { width: 772, height: 714 };

describe("how the picture lies in its pane", () => {
  it("fits with a margin and stands in the middle", () => {
    const p = place(picture, pane, null, null);
    expect(p.zoom).toBe(fitted(picture, pane));
    expect(p.left).toBeCloseTo(18, 6);
    expect(p.left * 2 + picture.width * p.zoom).toBeCloseTo(pane.width, 6);
    expect(p.top * 2 + picture.height * p.zoom).toBeCloseTo(pane.height, 6);
    expect(visible(picture, pane, p)).toEqual({ x: 0, y: 0, ...picture });
  });
  it("is never enlarged more than four times to fit", () => {
    expect(fitted({ width: 20, height: 20 }, pane)).toBe(4);
  });
  it("keeps the centre asked for, and the pane filled", () => {
    const middle = place(picture, pane, 1, [1500, 1000]);
    expect(middle.left).toBeCloseTo(pane.width / 2 - 1500, 9);
    const corner = place(picture, pane, 1, [0, 0]);
    expect([corner.left, corner.top]).toEqual([0, 0]);
    const other = place(picture, pane, 1, [9999, 9999]);
    expect(other.left + picture.width).toBe(pane.width);
    expect(other.top + picture.height).toBe(pane.height);
  });
  it("shows whole pixels that cover the pane, none outside the picture", () => {
    const p = place(picture, pane, 0.7, [2900.3, 1900.7]);
    const part = visible(picture, pane, p);
    expect(Number.isInteger(part.x) && Number.isInteger(part.width)).toBe(true);
    expect(part.x + part.width).toBe(picture.width);
    expect(part.y + part.height).toBe(picture.height);
    expect(p.left + part.x * p.zoom).toBeLessThanOrEqual(0);
  });
});
