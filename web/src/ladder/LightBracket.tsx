import type { KeyboardEvent } from "react";

import type { LightRange } from "../api/client";
import { setPart, useAreas, useSelectedPart } from "../state/areas";
import { OPEN } from "../state/parts";
import { hold, release, store } from "../state/scene";
import { useDrag } from "../useDrag";
import { number } from "../units";
import type { Scale } from "./scale";

interface Props {
  scale: Scale;
  left: number;
  width: number;
}

/** The ends of a light range, and of where it has faded: what of the bracket is taken hold of. */
type End = "low" | "high" | "soft_low" | "soft_high";
const TITLES: Record<End, string> = {
  low: "darker end",
  high: "brighter end",
  soft_low: "how softly its darker end fades",
  soft_high: "how softly its brighter end fades",
};
const APART = 0.1;

/** The selected light range as a bracket on the stops; open at an end that is dragged off the scale. */
export function LightBracket(props: Props) {
  const found = useSelectedPart();
  if (found?.[1].kind !== "light") return null;
  return <Bracket area={found[0].id} part={found[1]} {...props} />;
}

const between = (low: number, v: number, high: number) => Math.min(high, Math.max(low, v));

function Bracket({ area, part, scale, left, width }: Props & { area: string; part: LightRange }) {
  const [darkest, brightest] = [scale.stopAt(scale.bottom), scale.stopAt(scale.top)];
  const low = part.low <= OPEN[0] ? darkest : part.low;
  const high = part.high >= OPEN[1] ? brightest : part.high;
  const y = (stop: number) => between(scale.top, scale.y(stop), scale.bottom);
  const at: Record<End, number> = {
    low,
    high,
    soft_low: low - part.soft_low / 2,
    soft_high: high + part.soft_high / 2,
  };
  const moved = (end: End, stop: number): LightRange => {
    const v = Math.round(stop * 20) / 20;
    if (end === "low") return { ...part, low: v <= darkest + 0.05 ? OPEN[0] : between(OPEN[0], v, high - APART) };
    if (end === "high") return { ...part, high: v >= brightest - 0.05 ? OPEN[1] : between(low + APART, v, OPEN[1]) };
    const soft = between(0.05, Math.round(Math.abs(v - (end === "soft_low" ? low : high)) * 40) / 20, 8);
    return { ...part, [end]: soft };
  };
  const right = left + width;
  // An end that is open does not fade.
  const open: Partial<Record<End, boolean>> = { soft_low: part.low <= OPEN[0], soft_high: part.high >= OPEN[1] };
  const fades = [
    open.soft_high ? "" : `M ${right} ${y(at.soft_high)} L ${left} ${y(high - part.soft_high / 2)}`,
    open.soft_low ? "" : `M ${right} ${y(at.soft_low)} L ${left} ${y(low + part.soft_low / 2)}`,
  ];
  return (
    <g data-testid="light-bracket">
      <path className="bracket" d={`M ${right} ${y(high)} H ${left} V ${y(low)} H ${right}`} />
      <path className="bracket fine" d={fades.join(" ")} />
      {(Object.keys(TITLES) as End[])
        .filter((end) => !open[end])
        .map((end) => (
          <Handle
            key={end}
            y={y(at[end])}
            left={left}
            right={right}
            value={at[end]}
            soft={end.startsWith("soft")}
            label={`Light range, ${TITLES[end]}`}
            to={(dy) => setPart(area, part.id, moved(end, scale.stopAt(y(at[end]) + dy)))}
            by={(ev) => setPart(area, part.id, moved(end, at[end] + ev))}
          />
        ))}
    </g>
  );
}

interface HandleProps {
  y: number;
  left: number;
  right: number;
  value: number;
  soft: boolean;
  label: string;
  to: (dy: number) => void;
  by: (ev: number) => void;
}

function Handle({ y, left, right, value, soft, label, to, by }: HandleProps) {
  const drag = useDrag<{ y: number; to: (dy: number) => void }>({
    begin: (e) => {
      hold("area");
      return { y: e.clientY, to };
    },
    move: (start, e) => start.to(e.clientY - start.y),
    end: () => {
      release();
      useAreas.setState({ seeing: true });
      store("Light range");
    },
  });
  const key = (e: KeyboardEvent) => {
    const ev = { ArrowUp: 0.1, ArrowDown: -0.1 }[e.key];
    if (ev === undefined) return;
    by(ev * (e.shiftKey ? 5 : 1));
    useAreas.setState({ seeing: true });
    store("Light range");
    e.preventDefault();
    e.stopPropagation();
  };
  return (
    <g
      className="handle"
      role="slider"
      tabIndex={0}
      aria-label={label}
      aria-valuenow={value}
      aria-valuetext={`${number(value, 2, true)} EV`}
      {...drag}
      onKeyDown={key}
    >
      <title>{`${label}: ${number(value, 1, true)} EV`}</title>
      <rect x={left - 4} y={y - (soft ? 4 : 6)} width={right - left + 8} height={soft ? 8 : 12} fill="transparent" />
      {soft ? (
        <circle cx={right} cy={y} r={3} className="bracket-end" />
      ) : (
        <rect x={right - 3} y={y - 3} width={7} height={6} className="bracket-end" />
      )}
    </g>
  );
}
