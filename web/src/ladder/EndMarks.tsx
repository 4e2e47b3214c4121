import { useRef } from "react";

import type { Parameter } from "../api/client";
import { automaticOf, hold, preview, release, store, useScene, valueOf, withValue } from "../state/scene";
import { ends, type Scale } from "./scale";

interface Props {
  scale: Scale;
  lines: [number, number][];
  x: number;
  movable: boolean;
}

/** White point and black point on the ladder: the stops placed on white and on black. */
export function EndMarks({ scale, lines, x, movable }: Props) {
  const { scene, treatment, steps } = useScene();
  const start = useRef<{ y: number; value: number } | null>(null);
  const parameters = steps.find((s) => s.name === "ends")?.parameters ?? [];
  const { white, black } = ends(lines);
  if (!treatment) return null;

  const mark = (parameter: Parameter | undefined, stop: number | null, shown: string) => {
    if (!parameter || stop === null || stop < scale.low || stop > scale.high) return null;
    const y = scale.y(stop);
    const value = valueOf(treatment, parameter) ?? automaticOf(scene, parameter);
    const to = (v: number) => {
      const held = Math.min(parameter.high, Math.max(parameter.low, Math.round(v / parameter.increment) * parameter.increment));
      preview((t) => withValue(t, parameter, Number(held.toFixed(4))));
    };
    const end = () => {
      if (!start.current) return;
      start.current = null;
      release();
      store(parameter.title);
    };
    return (
      <g
        role={movable ? "slider" : undefined}
        tabIndex={movable ? 0 : undefined}
        aria-label={parameter.title}
        aria-valuenow={value}
        style={{ cursor: movable ? "ns-resize" : "default", touchAction: "none" }}
        onPointerDown={(e) => {
          if (!movable) return;
          e.currentTarget.setPointerCapture(e.pointerId);
          start.current = { y: e.clientY, value };
          hold("limits");
        }}
        onPointerMove={(e) => {
          if (start.current) to(start.current.value + (start.current.y - e.clientY) / (scale.y(0) - scale.y(1)));
        }}
        onPointerUp={end}
        onPointerCancel={end}
        onKeyDown={(e) => {
          const by = { ArrowUp: 0.1, ArrowDown: -0.1 }[e.key];
          if (!movable || by === undefined) return;
          to(value + by);
          store(parameter.title);
          e.preventDefault();
          e.stopPropagation();
        }}
      >
        <title>{`${parameter.title}: ${shown}`}</title>
        <rect x={x - 10} y={y - 9} width={18} height={18} fill="transparent" />
        <path d={`M ${x - 9} ${y - 5} L ${x} ${y} L ${x - 9} ${y + 5} Z`} fill="var(--text)" />
      </g>
    );
  };

  return (
    <g>
      {mark(parameters.find((p) => p.name === "white"), white, "light from here up is white")}
      {mark(parameters.find((p) => p.name === "black"), black, "light from here down is black")}
    </g>
  );
}
