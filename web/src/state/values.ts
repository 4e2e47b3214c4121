import type { Scene, Treatment } from "../api/client";

/** Where a value stands in the treatment, outermost first: keys of objects, ids or indices of what is in lists. */
export type Path = readonly (string | number)[];

/** Where a member of a list stands that is told by its id or its index; -1 if it is not there. */
const standsAt = (list: unknown[], key: string | number) =>
  typeof key === "number" ? key : list.findIndex((one) => (one as { id?: string } | null)?.id === key);

/** A value of the treatment; undefined where there is none. */
export function valueAt(treatment: Treatment, path: Path): unknown {
  return path.reduce<unknown>(
    (v, key) =>
      Array.isArray(v)
        ? (v as unknown[])[standsAt(v as unknown[], key)]
        : (v as Record<string | number, unknown> | undefined)?.[key],
    treatment,
  );
}

/** A number of the treatment, or null if it is automatic. */
export const numberAt = (treatment: Treatment, path: Path) => (valueAt(treatment, path) ?? null) as number | null;

/** The treatment with a value in its place; undefined takes it out. The rest stays what it was. */
export function withValue(treatment: Treatment, path: Path, value: unknown): Treatment {
  return put(treatment, path, value) as Treatment;
}

function put(whole: unknown, [key, ...rest]: Path, value: unknown): unknown {
  if (key === undefined) return value;
  if (Array.isArray(whole)) {
    const list = [...(whole as unknown[])];
    const at = standsAt(list, key);
    // What is gone meanwhile is not changed any more.
    if (at < 0) return whole as unknown;
    if (value === undefined && rest.length === 0) list.splice(at, 1);
    else list[at] = put(list[at], rest, value);
    return list;
  }
  const next = { ...(whole as Record<string | number, unknown>) };
  if (value === undefined && rest.length === 0) delete next[key];
  else next[key] = put(next[key], rest, value);
  return next;
}

/** What an automatic value comes to in this scene, or its default. */
export function automaticAt(scene: Scene | null, path: Path, fallback: number | null): number {
  return scene?.automatic?.values[path.join(".")] ?? fallback ?? 0;
}
