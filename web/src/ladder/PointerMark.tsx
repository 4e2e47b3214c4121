import { useView } from "../state/view";
import { type Scale, toneAt } from "./scale";

interface Props {
  scale: Scale;
  lines: [number, number][];
  left: number;
  right: number;
}

/** Where the place under the pointer stands on the ladder, and the tone it is given. */
export function PointerMark({ scale, lines, left, right }: Props) {
  const stop = useView((s) => s.probe?.stop);
  if (stop === undefined || stop < scale.low || stop > scale.high) return null;
  const y = scale.y(stop);
  const tone = scale.tone(toneAt(lines, stop) ?? 0);
  return (
    <g pointerEvents="none" stroke="var(--crenn-palette-primary-main)" fill="none">
      <line x1={8} x2={left} y1={y} y2={y} />
      <path d={`M ${left} ${y} C ${left + 26} ${y}, ${right - 28} ${tone}, ${right} ${tone}`} />
      <line x1={right} x2={right + 14} y1={tone} y2={tone} strokeWidth={2} />
    </g>
  );
}
