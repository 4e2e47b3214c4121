import { describe, expect, it } from "vitest";

import { type Change, difference } from "./difference";

/** A document after changes, as the server makes it. */
function changed(whole: unknown, changes: Change[]): unknown {
  return changes.reduce((now, change) => put(now, change.path, change), whole);
}

function put(whole: unknown, [key, ...rest]: string[], change: Change): unknown {
  if (Array.isArray(whole)) {
    if (key === "+") return [...(whole as unknown[]), change.value];
    return (whole as { id: string }[]).flatMap((one): unknown[] =>
      one.id !== key ? [one] : rest.length ? [put(one, rest, change)] : "value" in change ? [change.value] : [],
    );
  }
  const next = { ...(whole as Record<string, unknown>) };
  if (rest.length) next[key] = put(next[key], rest, change);
  else if ("value" in change) next[key] = change.value;
  else delete next[key];
  return next;
}

const stroke = (n: number) => ({ points: [n, n, 1, 1], radius: 0.1 });
const part = (id: string, strokes = [stroke(1)]) => ({ id, kind: "brush", strokes });
const area = (id: string, ...parts: ReturnType<typeof part>[]) => ({
  id,
  bends: { "exposure.ev": 1 } as Record<string, number>,
  parts,
});
const base = { exposure: { ev: 1, on: true }, areas: [area("a", part("p"), part("q")), area("b", part("r"))] };

/** What is told of a change, once it is shown to lead to the same document. */
function told(after: unknown): Change[] {
  const found = difference(base, after);
  expect(changed(base, found)).toEqual(after);
  return found;
}

describe("what is other in a document", () => {
  it("is nothing where nothing is", () => expect(told({ ...base })).toEqual([]));
  it("is a dial, and nothing beside it", () => {
    expect(told({ ...base, exposure: { ...base.exposure, ev: 2 } })).toEqual([{ path: ["exposure", "ev"], value: 2 }]);
  });
  it("is a dial of one area, whatever strokes it has", () => {
    const [a, b] = base.areas;
    expect(told({ ...base, areas: [a, { ...b, bends: { ...b.bends, "relief.fine": 2 } }] })).toEqual([
      { path: ["areas", "b", "bends", "relief.fine"], value: 2 },
    ]);
    expect(told({ ...base, areas: [a, { ...b, bends: {} }] })).toEqual([
      { path: ["areas", "b", "bends", "exposure.ev"] },
    ]);
  });
  it("is one more stroke alone", () => {
    const [a, b] = base.areas;
    const more = { ...a, parts: [{ ...a.parts[0], strokes: [...a.parts[0].strokes, stroke(2)] }, a.parts[1]] };
    expect(told({ ...base, areas: [more, b] })).toEqual([
      { path: ["areas", "a", "parts", "p", "strokes", "+"], value: stroke(2) },
    ]);
  });
  it("is an area that is new, gone or moved", () => {
    const [a, b] = base.areas;
    expect(told({ ...base, areas: [a, b, area("c")] })).toEqual([{ path: ["areas", "+"], value: area("c") }]);
    expect(told({ ...base, areas: [b] })).toEqual([{ path: ["areas", "a"] }]);
    expect(told({ ...base, areas: [b, area("c")] })).toHaveLength(2);
    expect(told({ ...base, areas: [b, a] })).toEqual([{ path: ["areas"], value: [b, a] }]);
    expect(told({ ...base, areas: [] })).toHaveLength(1);
  });
  it("is a list of numbers as a whole", () => {
    const list = { ...base, curve: [[0, 1]] as number[][] };
    expect(changed(list, difference(list, { ...list, curve: [[0, 2]] }))).toMatchObject({ curve: [[0, 2]] });
    expect(difference(list, { ...list, curve: [[0, 1]] })).toEqual([]);
  });
});
