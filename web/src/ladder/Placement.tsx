import { memo, useState } from "react";

import { hold, preview, release, rungAt, store, useScene, withRung } from "../state/scene";
import { number } from "../units";
import { useDrag } from "../useDrag";
import { useHeldRung } from "./rungs";
import { RungNumber } from "./RungNumber";
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
  if (!treatment) return null;

  const perStop = scale.y(0) - scale.y(1);
  const whole = lines.filter(([s]) => Number.isInteger(s) && s >= scale.low && s <= scale.high);
  const rungs = whole.filter(([s]) => s % 2 === 0).map(([s]) => s);
  for (const rung of treatment.placement.rungs) if (!rungs.includes(rung.stop)) rungs.push(rung.stop);

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
            stroke="var(--crenn-palette-text-primary)"
            strokeWidth={rung ? 1.5 : 0.8}
            opacity={0.18 + (0.75 * tone) / 100}
          />
        );
      })}
      {movable &&
        rungs.map((stop) => (
          <Rung
            key={stop}
            stop={stop}
            ev={rungAt(treatment, stop)}
            tone={toneAt(lines, stop) ?? 0}
            x={left}
            y={scale.y(stop)}
            perStop={perStop}
          />
        ))}
    </g>
  );
}

const Rung = memo(function Rung({
  stop,
  ev,
  tone,
  x,
  y,
  perStop,
}: {
  stop: number;
  ev: number;
  tone: number;
  x: number;
  y: number;
  perStop: number;
}) {
  const moving = useHeldRung((s) => s.stop === stop);
  const [typed, setTyped] = useState<string | null>(null);
  const name = `${number(stop, 1, true)} EV`;
  const move = (to: number) => preview((t) => withRung(t, stop, to));
  const set = (to: number, label = `Rung at ${name}`) => {
    move(to);
    store(label);
  };
  const drag = useDrag<{ y: number; ev: number }>({
    begin: (e) => {
      useHeldRung.setState({ stop });
      hold();
      return { y: e.clientY, ev };
    },
    move: (start, e) => move(start.ev + (start.y - e.clientY) / perStop),
    end: () => {
      useHeldRung.setState({ stop: null });
      release();
      store(`Rung at ${name}`);
    },
  });
  const colour = ev !== 0 ? "var(--crenn-palette-primary-main)" : "var(--crenn-palette-text-secondary)";
  return (
    <g
      role="slider"
      tabIndex={0}
      aria-label={`Placement of ${name}`}
      aria-valuenow={ev}
      aria-valuemin={-8}
      aria-valuemax={8}
      aria-valuetext={`${number(ev, 2, true)} EV, on tone ${tone.toFixed(0)} %`}
      className="handle"
      {...drag}
      onDoubleClick={() => set(0, `Rung at ${name} back`)}
      onKeyDown={(e) => {
        const by = e.shiftKey ? 0.5 : 0.1;
        if (e.key === "ArrowUp") set(ev + by);
        else if (e.key === "ArrowDown") set(ev - by);
        else if (e.key === "Delete" || e.key === "Backspace") set(0);
        else if (e.key === "Enter") setTyped(ev.toFixed(2));
        else if (/^[-\u2212+.\d]$/.test(e.key) && !e.ctrlKey && !e.metaKey) setTyped(e.key);
        else return;
        e.preventDefault();
        e.stopPropagation();
      }}
    >
      <circle cx={x} cy={y} r={10} fill="transparent" />
      <circle
        cx={x}
        cy={y}
        r={moving ? 5.5 : 4}
        fill={ev !== 0 ? colour : "var(--crenn-palette-background-paper)"}
        stroke={colour}
        strokeWidth={1.5}
      />
      {typed !== null && (
        <RungNumber
          x={x + 7}
          y={y - 11}
          label={`EV added at ${name}`}
          value={typed}
          onSet={(to) => {
            setTyped(null);
            if (to !== null && to !== ev) set(to);
          }}
        />
      )}
      {ev !== 0 && typed === null && (
        <text x={x + 9} y={y - 5} fontSize={10.5} fontWeight={600} fill={colour}>
          {number(ev, 1, true)}
        </text>
      )}
    </g>
  );
});
