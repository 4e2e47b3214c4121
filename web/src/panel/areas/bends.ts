import type { Area, Dial, Step, Treatment } from "../../api/client";
import { valueAt } from "../../state/values";
import { number } from "../../units";
import { decimals } from "../dials";

/** A dial as an area bends it: relative to what it is for the whole picture. */
export interface Bendable {
  /** As the treatment names it: step and dial. */
  name: string;
  step: string;
  /** Key of the step, of what is one of several that of the one. */
  of: string;
  dial: Pick<Dial, "title" | "help" | "unit" | "low" | "high" | "increment" | "scale" | "shows" | "default">;
}

const UNITS = { add: null, factor: "×", mired: "mired" } as const;

/** All dials that areas can bend, as the server says: those of steps, and those of the ranges and tints that there are. */
export function bendable(steps: Step[], treatment: Treatment | null): Bendable[] {
  return steps.flatMap((step) => [
    ...step.parameters.flatMap((p) => (p.kind === "dial" ? bent(step, p, p.name, p.group ?? null) : [])),
    ...Object.entries(step.items).flatMap(([list, dials]) => {
      const items = (treatment && (valueAt(treatment, [step.name, list]) as { name: string }[] | undefined)) ?? [];
      return items.flatMap((item) => dials.flatMap((p) => bent(step, p, `${item.name}.${p.name}`, item.name)));
    }),
  ]);
}

/** A dial as areas bend it, if they can; `of` names the group or the item that it is one of. */
function bent(step: Step, p: Dial, name: string, of: string | null): Bendable[] {
  if (!p.bend) return [];
  const { kind, low, high, increment } = p.bend;
  const title = of ? `${of}, ${p.title.toLowerCase()}` : p.title;
  const dial = {
    title,
    help: p.help,
    unit: UNITS[kind] ?? p.unit,
    low,
    high,
    increment,
    scale: "linear" as const,
    // Ends show what they clip, as the whole picture's do.
    shows: step.name === "ends" ? "limits" : null,
    default: kind === "factor" ? 1 : 0,
  };
  return [{ name: `${step.name}.${name}`, step: step.title, of: step.name, dial }];
}

/** Ends the name of what stands for leaving a step out. */
export const OUT = ".out";

/** Steps that an area may leave out, and does not yet, as they are named among the dials. */
export function leavable(steps: readonly Step[], out: readonly string[]): Bendable[] {
  return steps
    .filter((step) => step.left_out && !out.includes(step.name))
    .map((step) => ({
      name: `${step.name}${OUT}`,
      step: step.title,
      of: step.name,
      dial: { ...NOTHING, title: `Leave out ${step.title}`, help: "leaves the area as it would be without this step" },
    }));
}
/** What stands for something that is no dial. */
const NOTHING = { unit: "", low: 0, high: 0, increment: 1, scale: "linear", shows: null, default: null } as const;

/** Ends the name of what stands for all dials of a step. */
export const ALL = ".*";
/** Steps of more dials than this are not opened at once. */
const FEW = 9;

/** Dials, and before those of a step, where there are several, one that stands for all of them. */
export function withWhole(dials: readonly Bendable[]): Bendable[] {
  return dials.flatMap((d, i) => {
    if (dials[i - 1]?.step === d.step) return [d];
    const count = dials.filter((other) => other.step === d.step && !other.name.endsWith(OUT)).length;
    const whole = { ...d, name: `${d.of}${ALL}`, dial: { ...d.dial, title: `All of ${d.step}`, default: null } };
    return count > 1 && count <= FEW ? [whole, d] : [d];
  });
}

/** What an area does, in words: how it acts, the dials it bends, and by how much, and what it leaves out. */
export function summary(area: Area, dials: Bendable[]): string {
  const said = dials.flatMap(({ name, dial }) => {
    const value = area.bends[name];
    if (value === undefined || value === dial.default) return [];
    return [`${dial.title.toLowerCase()} ${number(value, decimals(dial.increment), dial.default === 0)} ${dial.unit}`];
  });
  const out = dials.filter((d, i) => area.without.includes(d.of) && dials[i - 1]?.of !== d.of).map((d) => d.step);
  if (area.acts === "added") said.unshift("light added");
  if (area.without.length) said.push(`without ${(out.length ? out : area.without).join(", ")}`);
  return said.length ? said.join(", ") : "bends nothing yet";
}
