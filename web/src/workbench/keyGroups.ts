import { STATION_NAMES, type StationName } from "../names";
import type { Key } from "./keys";

export interface KeyGroup {
  title: string;
  keys: Key[];
}

const titled = (name: string) => name[0].toUpperCase() + name.slice(1);

/** Keys by station: those of the present one first, then those that work everywhere, then the others'. */
export function grouped(keys: readonly Key[], station: StationName, sought: string): KeyGroup[] {
  const words = sought.toLowerCase().split(/\s+/).filter(Boolean);
  const found = keys.filter(({ shown, says }) => {
    const text = `${shown} ${says}`.toLowerCase();
    return words.every((word) => text.includes(word));
  });
  const of = (name?: StationName) => found.filter((key) => key.station === name);
  return [
    { title: `At ${titled(station)}`, keys: of(station) },
    { title: "Everywhere", keys: of() },
    ...STATION_NAMES.filter((name) => name !== station).map((name) => ({
      title: `At ${titled(name)}`,
      keys: of(name),
    })),
  ].filter((group) => group.keys.length > 0);
}
