import { useRef } from "react";

import { useChosen, useColour, useDistribution } from "../state/colour";
import { useScene } from "../state/scene";
import { useView } from "../state/view";
import { Cloud } from "./Cloud";
import { arcPath, CUT, ink, place, radiusOf, RING, SIDE } from "./polar";
import { RangeArc } from "./RangeArc";
import { TintDot } from "./TintDot";

/** Saturation at the edge of the disc, until the server tells. */
const EDGE = 0.6;
const TURN = Array.from({ length: 72 }, (_, i) => i * 5);

/** The circle of hues: the picture's own colours as a cloud, ranges as arcs round it, tints as points on it. */
export function HueCircle() {
  const ranges = useScene((s) => s.treatment?.hues.ranges);
  const tints = useScene((s) => s.treatment?.tints.points);
  const found = useDistribution().data;
  const before = useColour((s) => s.before);
  const under = useView((s) => s.probe?.on_circle);
  const chosen = useChosen();
  const box = useRef<SVGSVGElement>(null);
  if (!ranges || !tints) return null;
  const most = found?.most ?? EDGE;
  const mine = (list: string, index: number) => chosen?.list === list && chosen.index === index;
  const mark = under && place(under[0], radiusOf(under[1], most));
  return (
    <div className="circle">
      <svg ref={box} viewBox={`0 ${CUT} ${SIDE} ${SIDE - 2 * CUT}`} role="group" aria-label="Circle of hues">
        <g pointerEvents="none">
          {TURN.map((h) => (
            <path key={h} d={arcPath(h - 2.6, h + 2.6, RING - 9)} fill="none" stroke={ink(h)} strokeWidth={3} />
          ))}
          {[0.02, 0.1, 0.3].map((s) => (
            <circle
              key={s}
              cx={SIDE / 2}
              cy={SIDE / 2}
              r={radiusOf(s, most)}
              fill="none"
              stroke="var(--crenn-palette-divider)"
              strokeWidth={0.6}
            />
          ))}
          {found && <Cloud shares={before ? found.before : found.after} most={most} />}
        </g>
        {ranges.map((r, i) => (
          <RangeArc key={r.name} range={r} index={i} chosen={mine("ranges", i)} svg={box} />
        ))}
        {tints.map((t, i) => (
          <TintDot key={t.name} tint={t} index={i} chosen={mine("points", i)} most={most} svg={box} />
        ))}
        {mark && (
          <g pointerEvents="none" stroke="var(--crenn-palette-primary-main)" fill="none" data-testid="under-hue">
            <circle cx={mark[0]} cy={mark[1]} r={4.5} strokeWidth={1.5} />
            <path d={`M ${mark[0] - 8} ${mark[1]} h 3.5 M ${mark[0] + 4.5} ${mark[1]} h 3.5`} />
          </g>
        )}
      </svg>
      <div className="row circle-side">
        <button
          className="plain"
          aria-pressed={before}
          title="Where the colours lay that enter this station"
          onClick={() => useColour.setState({ before: !before })}
        >
          {before ? "as they came in" : "as they are"}
        </button>
      </div>
    </div>
  );
}
