/** A value of a document in its place; without a value, what stands there is taken out. "+" is behind the last of a list. */
export interface Change {
  path: string[];
  value?: unknown;
}

/** So many changes are told at once; beyond, the whole document. */
const MOST = 300;

type Json = Record<string, unknown>;

const isObject = (v: unknown): v is Json => typeof v === "object" && v !== null && !Array.isArray(v);
/** The id of one of a list; empty if it has none. */
const idOf = (v: unknown) => (isObject(v) && typeof v.id === "string" ? v.id : "");

/**
 * What makes one document of another. Parts that are the same object are not looked into: documents are changed by
 * copying what is changed and keeping the rest.
 */
export function difference(before: unknown, after: unknown, path: string[] = []): Change[] {
  if (before === after) return [];
  if (isObject(before) && isObject(after)) {
    const gone = Object.keys(before).filter((key) => !(key in after));
    return [
      ...gone.map((key) => ({ path: [...path, key] })),
      ...Object.keys(after).flatMap((key) =>
        key in before
          ? difference(before[key], after[key], [...path, key])
          : [{ path: [...path, key], value: after[key] }],
      ),
    ];
  }
  if (Array.isArray(before) && Array.isArray(after) && path.length > 0)
    return ofLists(before as unknown[], after as unknown[], path);
  return same(before, after) ? [] : [{ path, value: after }];
}

/** What to tell whoever has one document, or none, for it to have another: what is other, or all of it. */
export function telling<T extends object>(before: T | null, after: T): { changes: Change[] } | { document: Json } {
  const changes = before && difference(before, after);
  return changes && changes.length <= MOST ? { changes } : { document: after as Json };
}

function ofLists(before: unknown[], after: unknown[], path: string[]): Change[] {
  const ids = after.map(idOf);
  const known = new Map(before.map((one) => [idOf(one), one]));
  if (ids.length > 0 && ids.every((id) => id !== "") && new Set(ids).size === ids.length && !known.has("")) {
    const stay = ids.filter((id) => known.has(id));
    const were = before.map(idOf).filter((id) => ids.includes(id));
    // Those that stay in their order are changed one by one, others taken out, and new ones put at the end.
    if (stay.every((id, i) => id === were[i]) && ids.slice(0, stay.length).every((id) => known.has(id)))
      return [
        ...before
          .map(idOf)
          .filter((id) => !ids.includes(id))
          .map((id) => ({ path: [...path, id] })),
        ...after.flatMap((one, i) =>
          known.has(ids[i])
            ? difference(known.get(ids[i]), one, [...path, ids[i]])
            : [{ path: [...path, "+"], value: one }],
        ),
      ];
  } else if (after.length > before.length && before.every((one, i) => one === after[i])) {
    return after.slice(before.length).map((value) => ({ path: [...path, "+"], value }));
  }
  return same(before, after) ? [] : [{ path, value: after }];
}

/** Whether two short values say the same. */
const same = (a: unknown, b: unknown) =>
  a === b || (typeof a === "object" && typeof b === "object" && JSON.stringify(a) === JSON.stringify(b));
