import type { KeyboardEvent } from "react";

import type { Tint } from "../api/client";
import { ink } from "../circle/polar";
import { choose, freeStop, setItem, useChosen } from "../state/colour";
import { hold, release, store, useScene } from "../state/scene";
import { useView } from "../state/view";
import { useDrag } from "../useDrag";
import { number } from "../units";
import { type Scale, toneAt } from "./scale";

/** Tints beside the tones that they are tied to; dragged along them. */
export function TintMarks({ scale, x }: { scale: Scale; x: number }) {
  const points = useScene((s) => s.treatment?.tints.points);
  const tones = useView((s) => s.tones);
  const chosen = useChosen();
  if (!points || tones.length === 0) return null;
  return (
    <g data-testid="tint-marks">
      {points.map((t, i) => (
        <TintMark
          key={t.name}
          tint={t}
          index={i}
          scale={scale}
          x={x}
          tones={tones}
          stops={points.map((p) => p.stop)}
          chosen={chosen?.list === "points" && chosen.index === i}
        />
      ))}
    </g>
  );
}

interface Props {
  tint: Tint;
  index: number;
  scale: Scale;
  x: number;
  tones: [number, number][];
  stops: number[];
  chosen: boolean;
}

/** The stop of the picture that is shown as a tone. */
export function stopOf(tones: [number, number][], tone: number): number {
  for (let i = 1; i < tones.length; i++) {
    const [[s0, t0], [s1, t1]] = [tones[i - 1], tones[i]];
    if (tone <= t1) return t1 > t0 ? s0 + ((tone - t0) / (t1 - t0)) * (s1 - s0) : s1;
  }
  return tones[tones.length - 1][0];
}

function TintMark({ tint: t, index, scale, x, tones, stops, chosen }: Props) {
  const y = scale.tone(toneAt(tones, t.stop) ?? 0);
  const to = (stop: number) => setItem("points", index, { stop: freeStop(stops, index, stop) });
  const drag = useDrag<{ y: number; from: number }>({
    begin: (e) => {
      choose("points", t.name);
      hold();
      return { y: e.clientY, from: y };
    },
    move: (start, e) => {
      const height = scale.tone(0) - scale.tone(100);
      to(stopOf(tones, (100 * (scale.tone(0) - (start.from + e.clientY - start.y))) / height));
    },
    end: () => {
      release();
      store(t.name);
    },
  });
  const key = (e: KeyboardEvent) => {
    const by = { ArrowUp: 0.1, ArrowDown: -0.1 }[e.key];
    if (by === undefined) return;
    to(t.stop + by * (e.shiftKey ? 5 : 1));
    store(t.name);
    e.preventDefault();
    e.stopPropagation();
  };
  return (
    <g
      className={t.on ? "handle" : "handle off"}
      role="slider"
      tabIndex={0}
      aria-label={`Tone of ${t.name}`}
      aria-valuenow={t.stop}
      aria-valuetext={`${number(t.stop, 2, true)} EV`}
      {...drag}
      onKeyDown={key}
      onFocus={() => choose("points", t.name)}
    >
      <title>{`${t.name}: ${number(t.stop, 1, true)} EV`}</title>
      <rect x={x - 4} y={y - 8} width={24} height={16} fill="transparent" />
      <path
        d={`M ${x} ${y} L ${x + 6} ${y - 4.5} H ${x + 14} V ${y + 4.5} H ${x + 6} Z`}
        fill={ink(t.hue, t.amount ? 0.18 : 0, 0.7)}
        stroke="var(--crenn-palette-text-primary)"
        strokeWidth={chosen ? 2 : 0.75}
      />
    </g>
  );
}
