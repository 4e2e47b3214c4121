import { number } from "../../units";
import { onPane, useViewport } from "../viewport";
import type { Point } from "../map";
import { levelOf, useLine } from "../plumbline";

/** A line over the picture, light on dark. */
export function Stroke({ from: a, to: b }: { from: Point; to: Point }) {
  return (
    <>
      <line className="under" x1={a[0]} y1={a[1]} x2={b[0]} y2={b[1]} />
      <line x1={a[0]} y1={a[1]} x2={b[0]} y2={b[1]} />
    </>
  );
}

/** The line being drawn, with the angle it stands off written along it. */
export function PlumbLine() {
  const lay = useViewport();
  const line = useLine((s) => s.line);
  if (!line) return null;
  const [a, b] = [onPane(lay, line.from), onPane(lay, line.to)];
  const [left, right] = a[0] <= b[0] ? [a, b] : [b, a];
  const slope = (Math.atan2(right[1] - left[1], right[0] - left[0]) * 180) / Math.PI;
  const [x, y] = [(a[0] + b[0]) / 2, (a[1] + b[1]) / 2];
  return (
    <g className="plumb" data-testid="plumb">
      <Stroke from={a} to={b} />
      <text x={x} y={y - 8} transform={`rotate(${slope} ${x} ${y})`} textAnchor="middle">
        {number(levelOf(line), 2, true)}°
      </text>
    </g>
  );
}
