import type { Scene, Treatment } from "../api/client";

/** Where a value stands in the treatment: keys and indices, outermost first. */
export type Path = readonly (string | number)[];

/** A value of the treatment; undefined where there is none. */
export function valueAt(treatment: Treatment, path: Path): unknown {
  return path.reduce<unknown>((v, key) => (v as Record<string | number, unknown> | undefined)?.[key], treatment);
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
    if (value === undefined && rest.length === 0) list.splice(key as number, 1);
    else list[key as number] = put(list[key as number], rest, value);
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
