import type { Treatment } from "../api/client";
import { withValue } from "./values";

/** A treatment in which steps are switched off; those of areas and mends are named for what they hold. */
export function switchedOff(treatment: Treatment, steps: readonly string[]): Treatment {
  return steps.reduce(
    (t, step) =>
      step === "areas" || step === "mend"
        ? { ...t, [step]: t[step].map((one) => ({ ...one, on: false })) }
        : withValue(t, [step, "on"], false),
    treatment,
  );
}
