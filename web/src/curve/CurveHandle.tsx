import type { KeyboardEvent } from "react";

import { NAMES, setPoints, storeCurve, useCurve } from "../state/curve";
import { hold, release } from "../state/scene";
import { useDrag } from "../useDrag";
import { useNudge } from "../useNudge";
import { number } from "../units";
import { INK, type Plot } from "./plot";
import { type CurvePoint, moved } from "./points";

const KEYS: Record<string, [number, number]> = {
  ArrowUp: [0, 0.05],
  ArrowDown: [0, -0.05],
  ArrowRight: [0.05, 0],
  ArrowLeft: [-0.05, 0],
};

/** A point of the curve: dragged, moved by keys, taken away. */
export function CurveHandle({
  point,
  index,
  chosen,
  plot,
}: {
  point: CurvePoint;
  index: number;
  chosen: boolean;
  plot: Plot;
}) {
  const channel = useCurve((s) => s.channel);
  const to = (next: CurvePoint) => setPoints((points) => (index < points.length ? moved(points, index, next) : points));
  const drop = () => {
    setPoints((points) => points.filter((_, i) => i !== index));
    useCurve.setState({ chosen: null });
    storeCurve("Point of the curve taken away");
  };
  const drag = useDrag<{ x: number; y: number; point: CurvePoint; scale: number }>({
    begin: (e) => {
      useCurve.setState({ chosen: index });
      hold();
      const svg = (e.currentTarget as SVGElement).ownerSVGElement!;
      return { x: e.clientX, y: e.clientY, point, scale: svg.viewBox.baseVal.width / svg.clientWidth };
    },
    move: (start, e) => {
      const by = start.scale * (e.shiftKey ? 0.2 : 1);
      to({
        at: start.point.at + (e.clientX - start.x) * by * plot.perPixel.x,
        to: start.point.to - (e.clientY - start.y) * by * plot.perPixel.y,
      });
    },
    end: () => {
      release();
      storeCurve();
    },
  });
  const nudge = useNudge(() => {
    release();
    storeCurve();
  });
  const key = (e: KeyboardEvent) => {
    const by = KEYS[e.key];
    if (by) {
      const times = e.shiftKey ? 5 : 1;
      nudge(() => {
        hold();
        to({ at: point.at + times * by[0], to: point.to + times * by[1] });
      });
    } else if (e.key === "Delete" || e.key === "Backspace") drop();
    else return;
    e.preventDefault();
    e.stopPropagation();
  };
  return (
    <g
      className="point"
      role="slider"
      tabIndex={0}
      aria-label={`Point ${index + 1} of ${NAMES[channel].toLowerCase()}`}
      aria-valuenow={point.to}
      aria-valuetext={`${number(point.at, 2, true)} EV to ${number(point.to, 2, true)} EV`}
      {...drag}
      onDoubleClick={drop}
      onKeyDown={key}
      onFocus={() => useCurve.setState({ chosen: index })}
    >
      <title>Double-click: take it away</title>
      <circle cx={plot.x(point.at)} cy={plot.y(point.to)} r={10} fill="transparent" />
      <circle
        cx={plot.x(point.at)}
        cy={plot.y(point.to)}
        r={chosen ? 5 : 4}
        fill={chosen ? INK[channel] : "var(--crenn-palette-background-paper)"}
        stroke={INK[channel]}
        strokeWidth={1.5}
      />
    </g>
  );
}
