import type { KeyboardEvent } from "react";

import { useView } from "../state/view";
import { number } from "../units";
import { useDrag } from "../useDrag";
import { evOfStop, stopOfEv } from "./aboveWhite";
import type { Scale } from "./scale";

const between = (low: number, v: number, high: number) => Math.min(high, Math.max(low, v));

interface Props {
  scale: Scale;
  left: number;
  right: number;
  /** EV above white, counted from where, in EV of the picture. */
  value: number;
  from: (tones: [number, number][]) => number;
  name: string;
  testId: string;
  title: (stop: number) => string;
  /** Whether the band is the light above the mark, or that from white up to it. */
  band: "above" | "below";
  begin?: () => void;
  to: (value: number) => void;
  end: () => void;
}

/** A light above the picture's white, as a mark on the stops that is dragged. */
export function AboveWhite({ scale, left, right, value, from, name, testId, title, band, begin, to, end }: Props) {
  const lines = useView((s) => s.ladder);
  const tones = useView((s) => s.tones);
  const stop = stopOfEv(lines, tones, from(tones) + value);
  const white = stopOfEv(lines, tones, from(tones));
  const drag = useDrag<{ y: number; from: number; lines: [number, number][]; tones: [number, number][] }>({
    begin: (e) => {
      begin?.();
      return { y: e.clientY, from: between(scale.top, scale.y(stop ?? 0), scale.bottom), lines, tones };
    },
    move: (start, e) => {
      const there = evOfStop(start.lines, start.tones, scale.stopAt(start.from + e.clientY - start.y));
      if (there !== null) to(there - from(start.tones));
    },
    end,
  });
  if (stop === null || white === null) return null;
  const key = (e: KeyboardEvent) => {
    const by = { ArrowUp: 0.1, ArrowDown: -0.1 }[e.key];
    if (by === undefined) return;
    to(value + by * (e.shiftKey ? 5 : 1));
    end();
    e.preventDefault();
    e.stopPropagation();
  };
  const y = between(scale.top, scale.y(stop), scale.bottom);
  const [high, low] = band === "above" ? [scale.top, y] : [y, between(scale.top, scale.y(white), scale.bottom)];
  return (
    <g
      className="handle"
      role="slider"
      tabIndex={0}
      aria-label={name}
      aria-valuenow={value}
      aria-valuetext={`${number(value, 1, true)} EV above white`}
      data-testid={testId}
      {...drag}
      onKeyDown={key}
    >
      <title>{title(stop)}</title>
      <rect x={left} y={high} width={right - left} height={Math.max(low - high, 0)} className="above-white" />
      <rect x={left - 4} y={y - 7} width={right - left + 8} height={14} fill="transparent" />
      <line x1={left} x2={right} y1={y} y2={y} className="above-white-line" />
      <circle cx={right} cy={y} r={4} className="above-white-knob" />
    </g>
  );
}
