import type { Area, Dial, Step } from "../../api/client";
import { number } from "../../units";
import { decimals } from "../dials";

/** A dial as an area bends it: relative to what it is for the whole picture. */
export interface Bendable {
  /** As the treatment names it: step and dial. */
  name: string;
  step: string;
  dial: Pick<Dial, "title" | "help" | "unit" | "low" | "high" | "increment" | "scale" | "shows" | "default">;
}

const UNITS = { add: null, factor: "×", mired: "mired" } as const;

/** All dials that areas can bend, as the server says. */
export function bendable(steps: Step[]): Bendable[] {
  return steps.flatMap((step) =>
    step.parameters.flatMap((p) => {
      if (p.kind !== "dial" || !p.bend) return [];
      const { kind, low, high, increment } = p.bend;
      const dial = { title: p.title, help: p.help, unit: UNITS[kind] ?? p.unit, low, high, increment, scale: "linear" as const, shows: null, default: kind === "factor" ? 1 : 0 };
      return [{ name: `${p.step}.${p.name}`, step: step.title, dial }];
    }),
  );
}

/** What an area does, in words: the dials it bends, and by how much. */
export function summary(area: Area, dials: Bendable[]): string {
  const said = dials.flatMap(({ name, dial }) => {
    const value = area.bends[name];
    if (value === undefined || value === dial.default) return [];
    return [`${dial.title.toLowerCase()} ${number(value, decimals(dial.increment), dial.default === 0)} ${dial.unit}`];
  });
  return said.length ? said.join(", ") : "bends nothing yet";
}
