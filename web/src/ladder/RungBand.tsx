import { useScene } from "../state/scene";
import { movedWith, useHeldRung } from "./rungs";
import type { Scale } from "./scale";

interface Props {
  scale: Scale;
  /** Where the histogram begins and ends. */
  left: number;
  right: number;
}

/** Which stops move with the rung that is held, the more the wider the band. */
export function RungBand({ scale, left, right }: Props) {
  const stop = useHeldRung((s) => s.stop);
  const rungs = useScene((s) => s.treatment?.placement.rungs);
  if (stop === null || !rungs) return null;
  const share = movedWith(rungs, stop);
  const stops: number[] = [];
  for (let s = scale.low; s <= scale.high; s += 0.1) if (share(s) > 0.02) stops.push(s);
  if (stops.length === 0) return null;
  const edge = stops.map((s) => `${(right - share(s) * (right - left)).toFixed(1)} ${scale.y(s).toFixed(1)}`);
  const [low, high] = [stops[0], stops[stops.length - 1]];
  return (
    <g pointerEvents="none" data-testid="rung-band">
      <path
        d={`M ${right} ${scale.y(low)} L ${edge.join(" L ")} L ${right} ${scale.y(high)} Z`}
        fill="var(--crenn-palette-primary-main)"
        opacity={0.28}
      />
      <path d={`M ${edge.join(" L ")}`} fill="none" stroke="var(--crenn-palette-primary-main)" />
    </g>
  );
}
