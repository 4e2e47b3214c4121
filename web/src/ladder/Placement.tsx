import { useRef, useState } from "react";

import { hold, preview, release, rungAt, store, useScene, withRung } from "../state/scene";
import { number } from "../units";
import { type Scale, toneAt } from "./scale";

interface Props {
  scale: Scale;
  lines: [number, number][];
  left: number;
  right: number;
  /** Whether rungs can be moved: at the Light station. */
  movable: boolean;
}

/** Placement lines from each stop of the scene to its tone, with rungs to drag. */
export function Placement({ scale, lines, left, right, movable }: Props) {
  const treatment = useScene((s) => s.treatment);
  const [moving, setMoving] = useState<number | null>(null);
  const start = useRef({ y: 0, ev: 0 });
  if (!treatment) return null;

  const perStop = scale.y(0) - scale.y(1);
  const whole = lines.filter(([s]) => Number.isInteger(s) && s >= scale.low && s <= scale.high);
  const rungs = whole.filter(([s]) => s % 2 === 0).map(([s]) => s);
  for (const rung of treatment.placement!.rungs!) if (!rungs.includes(rung.stop)) rungs.push(rung.stop);

  const move = (stop: number, ev: number) => preview((t) => withRung(t, stop, ev));
  const finish = (stop: number) => {
    setMoving(null);
    release();
    store(`Rung at ${number(stop, 1, true)} EV`);
  };
  const nudge = (stop: number, by: number) => {
    move(stop, rungAt(treatment, stop) + by);
    store(`Rung at ${number(stop, 1, true)} EV`);
  };

  return (
    <g>
      {whole.map(([stop, tone]) => {
        const y = scale.y(stop);
        const ty = scale.tone(tone);
        const rung = stop % 2 === 0;
        return (
          <path
            key={stop}
            d={`M ${left} ${y} C ${left + 26} ${y}, ${right - 28} ${ty}, ${right} ${ty}`}
            fill="none"
            stroke="var(--text)"
            strokeWidth={rung ? 1.5 : 0.8}
            opacity={0.18 + (0.75 * tone) / 100}
          />
        );
      })}
      {movable &&
        rungs.map((stop) => {
          const y = scale.y(stop);
          const ev = rungAt(treatment, stop);
          const tone = toneAt(lines, stop) ?? 0;
          return (
            <g
              key={stop}
              role="slider"
              tabIndex={0}
              aria-label={`Placement of ${number(stop, 1, true)} EV`}
              aria-valuenow={ev}
              aria-valuemin={-8}
              aria-valuemax={8}
              aria-valuetext={`${number(ev, 2, true)} EV, on tone ${tone.toFixed(0)} %`}
              style={{ cursor: "ns-resize", touchAction: "none" }}
              onPointerDown={(e) => {
                e.currentTarget.setPointerCapture(e.pointerId);
                start.current = { y: e.clientY, ev };
                setMoving(stop);
                hold();
              }}
              onPointerMove={(e) => {
                if (moving === stop) move(stop, start.current.ev + (start.current.y - e.clientY) / perStop);
              }}
              onPointerUp={() => moving === stop && finish(stop)}
              onPointerCancel={() => moving === stop && finish(stop)}
              onDoubleClick={() => {
                move(stop, 0);
                store(`Rung at ${number(stop, 1, true)} EV back`);
              }}
              onKeyDown={(e) => {
                const by = e.shiftKey ? 0.5 : 0.1;
                if (e.key === "ArrowUp") nudge(stop, by);
                else if (e.key === "ArrowDown") nudge(stop, -by);
                else if (e.key === "Delete" || e.key === "Backspace") nudge(stop, -ev);
                else return;
                e.preventDefault();
                e.stopPropagation();
              }}
            >
              <circle cx={left} cy={y} r={10} fill="transparent" />
              <circle
                cx={left}
                cy={y}
                r={moving === stop ? 5.5 : 4}
                fill={ev !== 0 ? "var(--active)" : "var(--paper)"}
                stroke={ev !== 0 ? "var(--active)" : "var(--dim)"}
                strokeWidth={1.5}
              />
              {ev !== 0 && (
                <text x={left + 9} y={y - 5} fontSize={10.5} fontWeight={600} fill="var(--active)">
                  {number(ev, 1, true)}
                </text>
              )}
            </g>
          );
        })}
    </g>
  );
}
