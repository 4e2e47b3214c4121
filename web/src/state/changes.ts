import type { Step, Treatment } from "../api/client";
import { valueAt } from "./values";

/** How many values of a step's section depart from their defaults. */
export function changed(step: Step, treatment: Treatment): number {
  return Object.entries(step.defaults).filter(
    ([name, value]) => JSON.stringify(valueAt(treatment, [step.name, name])) !== JSON.stringify(value),
  ).length;
}

/** The treatment with steps as they were at the start. */
export function backToStart(treatment: Treatment, steps: readonly Step[]): Treatment {
  return steps.reduce((t, step) => ({ ...t, [step.name]: step.defaults }), treatment);
}
