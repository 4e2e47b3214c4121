import type { Dial } from "../api/client";

/** Decimals that an increment needs. */
export const decimals = (increment: number) => Math.max(0, Math.ceil(-Math.log10(increment) - 1e-9));

/** A value held within a dial's range, on its increments. */
export function held(p: Pick<Dial, "low" | "high" | "increment">, value: number): number {
  const inside = Math.min(p.high, Math.max(p.low, Math.round(value / p.increment) * p.increment));
  return Number(inside.toFixed(decimals(p.increment)));
}

/** Share of the track at a value, and back. Temperatures are even in their reciprocal, as light is seen. */
export function scaleOf(p: Pick<Dial, "low" | "high" | "scale">) {
  if (p.scale === "reciprocal") {
    const span = 1 / p.low - 1 / p.high;
    return {
      share: (v: number) => (1 / p.low - 1 / v) / span,
      value: (s: number) => 1 / (1 / p.low - s * span),
    };
  }
  return {
    share: (v: number) => (v - p.low) / (p.high - p.low),
    value: (s: number) => p.low + s * (p.high - p.low),
  };
}
