import type { Dial } from "../api/client";
import { held } from "../panel/dials";
import { useSteps } from "../api/queries";
import { hold, preview, release, store, useScene } from "../state/scene";
import { automaticAt, numberAt, withValue } from "../state/values";
import { useDrag } from "../useDrag";
import { ends, type Scale } from "./scale";

interface Props {
  scale: Scale;
  lines: [number, number][];
  x: number;
  movable: boolean;
}

const KEYS: Record<string, number> = { ArrowUp: 0.1, ArrowDown: -0.1 };

/** White point and black point on the ladder: the stops placed on white and on black. */
export function EndMarks({ scale, lines, x, movable }: Props) {
  const parameters = useSteps().data?.find((s) => s.name === "ends")?.parameters ?? [];
  const { white, black } = ends(lines);
  const shown = [
    { name: "white", stop: white, says: "light from here up is white" },
    { name: "black", stop: black, says: "light from here down is black" },
  ];
  return (
    <g>
      {shown.map(({ name, stop, says }) => {
        const parameter = parameters.find((p) => p.name === name);
        if (parameter?.kind !== "dial" || stop === null || stop < scale.low || stop > scale.high) return null;
        return (
          <EndMark
            key={name}
            parameter={parameter}
            says={says}
            y={scale.y(stop)}
            perStop={scale.y(0) - scale.y(1)}
            x={x}
            movable={movable}
          />
        );
      })}
    </g>
  );
}

function EndMark({
  parameter: p,
  says,
  x,
  y,
  perStop,
  movable,
}: {
  parameter: Dial;
  says: string;
  x: number;
  y: number;
  perStop: number;
  movable: boolean;
}) {
  const path = [p.step, p.name];
  const value = useScene(
    (s) => (s.treatment ? numberAt(s.treatment, path) : null) ?? automaticAt(s.scene, path, p.default),
  );
  const to = (v: number) => preview((t) => withValue(t, path, held(p, v)));
  const drag = useDrag<{ y: number; value: number }>({
    begin: (e) => {
      if (!movable) return null;
      hold("limits");
      return { y: e.clientY, value };
    },
    move: (start, e) => to(start.value + (start.y - e.clientY) / perStop),
    end: () => {
      release();
      store(p.title);
    },
  });
  return (
    <g
      role={movable ? "slider" : undefined}
      tabIndex={movable ? 0 : undefined}
      aria-label={p.title}
      aria-valuenow={value}
      className={movable ? "handle" : undefined}
      {...drag}
      onKeyDown={(e) => {
        const by = KEYS[e.key];
        if (!movable || by === undefined) return;
        to(value + by);
        store(p.title);
        e.preventDefault();
        e.stopPropagation();
      }}
    >
      <title>{`${p.title}: ${says}`}</title>
      <rect x={x - 10} y={y - 9} width={18} height={18} fill="transparent" />
      <path d={`M ${x - 9} ${y - 5} L ${x} ${y} L ${x - 9} ${y + 5} Z`} fill="var(--crenn-palette-text-primary)" />
    </g>
  );
}
