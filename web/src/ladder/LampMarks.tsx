import type { Report } from "../api/client";
import { number } from "../units";
import type { Scale } from "./scale";

/** Lamps on the ladder: a ring at the stop of each, one for those that stand together. */
export function LampMarks({ report, scale, x }: { report: Report; scale: Scale; x: number }) {
  const together = new Map<number, number>();
  for (const { stop } of report.lamps ?? []) {
    const at = Math.round(stop * 4) / 4;
    together.set(at, (together.get(at) ?? 0) + 1);
  }
  return (
    <g data-testid="lamp-marks">
      {[...together].map(([stop, count]) => (
        <circle
          key={stop}
          cx={x}
          cy={Math.max(scale.y(stop), scale.top)}
          r={Math.min(2 + Math.sqrt(count) / 2, 4)}
          fill="var(--crenn-palette-background-paper)"
          stroke="var(--crenn-palette-lamp)"
          strokeWidth={1.6}
        >
          <title>{`${count === 1 ? "A lamp" : `${count} lamps`} at ${number(stop, 1, true)} EV, left out of automatic values`}</title>
        </circle>
      ))}
    </g>
  );
}
