import { type PointerEvent, useRef } from "react";

import { NAMES, setPoints, storeCurve, useCurve, useCurveSize, useEntering } from "../state/curve";
import { makeScale } from "../ladder/scale";
import { useLadderBox } from "../ladder/useLadderBox";
import { hold, release, useScene } from "../state/scene";
import { useView } from "../state/view";
import { useDrag } from "../useDrag";
import { CurveHandle } from "./CurveHandle";
import { besideLadder, INK, type Plot, SMALL } from "./plot";
import { added, type Channel, curveOf, FROM, moved, UP_TO } from "./points";

/** Beside the ladder a plot is at most so wide, in pixels. */
const WIDEST = 430;
const CHANNELS: Channel[] = ["points", "red", "green", "blue"];

/** The curve on a scale of stops: light that enters across, light that leaves upwards. */
export function CurvePlot() {
  const curve = useScene((s) => s.treatment?.curve);
  const { channel, chosen } = useCurve();
  const large = useCurveSize((s) => s.large);
  const entering = useEntering().data;
  const under = useView((s) => s.probe?.entering?.[CHANNELS.indexOf(channel)]);
  const box = useRef<SVGSVGElement>(null);

  const report = useScene((s) => s.scene?.report);
  const ladder = useLadderBox();
  const beside = large && report ? ladder : null;
  const plot = beside ? besideLadder(makeScale(report!, beside.height), beside.height, WIDEST) : SMALL;
  /** Stops of the plot under a pointer. */
  const stopsAt = (e: PointerEvent<Element>) => {
    const { left, top, width, height } = box.current!.getBoundingClientRect();
    return plot.stopsAt(((e.clientX - left) / width) * plot.width, ((e.clientY - top) / height) * plot.height);
  };

  const drag = useDrag<{ index: number }>({
    begin: (e) => {
      const at = stopsAt(e);
      let taken = -1;
      setPoints((points) => {
        const next = added(points, at.at);
        taken = next.index;
        return taken < 0 ? points : moved(next.points, taken, at);
      });
      if (taken < 0) return null;
      useCurve.setState({ chosen: taken });
      hold();
      return { index: taken };
    },
    move: ({ index }, e) => setPoints((points) => moved(points, index, stopsAt(e))),
    end: () => {
      release();
      storeCurve();
    },
  });
  if (!curve) return null;
  const points = curve[channel];
  const whole: number[] = [];
  for (let s = Math.ceil(FROM); s <= UP_TO; s++) whole.push(s);
  const shares = entering?.[channel === "points" ? "luminance" : channel];
  return (
    <div
      className={beside ? "curve large" : "curve"}
      style={beside ? { left: beside.right, top: beside.top, height: beside.height } : undefined}
    >
      <div className="row">
        <div className="segment" role="group" aria-label="Curve of">
          {CHANNELS.map((c) => (
            <button
              key={c}
              aria-pressed={channel === c}
              onClick={() => useCurve.setState({ channel: c, chosen: null })}
            >
              {NAMES[c]}
              {curve[c].length > 0 && <span aria-label="has points"> ·</span>}
            </button>
          ))}
        </div>
        <button
          className="quiet unfold"
          aria-pressed={large}
          title="Large over the picture’s side, and back"
          onClick={() => useCurveSize.setState({ large: !large })}
        >
          {large ? "small" : "large"}
        </button>
      </div>
      <svg
        ref={box}
        viewBox={`0 0 ${plot.width} ${plot.height}`}
        width={beside ? plot.width : "100%"}
        role="group"
        aria-label={`Curve of ${NAMES[channel].toLowerCase()}`}
      >
        <rect
          x={plot.left}
          y={plot.top}
          width={plot.right - plot.left}
          height={plot.bottom - plot.top}
          fill="transparent"
          className="ground"
          {...drag}
        />
        <g pointerEvents="none">
          {whole.map((s) => (
            <g
              key={s}
              stroke="var(--crenn-palette-divider)"
              strokeWidth={s === 0 ? 1.2 : 0.6}
              opacity={s % 2 === 0 ? 1 : 0.45}
            >
              <line x1={plot.x(s)} x2={plot.x(s)} y1={plot.top} y2={plot.bottom} />
              <line x1={plot.left} x2={plot.right} y1={plot.y(s)} y2={plot.y(s)} />
            </g>
          ))}
          {whole
            .filter((s) => s % 2 === 0)
            .map((s) => (
              <g key={s} fontSize={9.5} fill="var(--crenn-palette-text-secondary)">
                <text x={plot.x(s)} y={plot.height - 4} textAnchor="middle">
                  {s === 0 ? "0" : s > 0 ? `+${s}` : `−${-s}`}
                </text>
                <text x={plot.left - 4} y={plot.y(s) + 3.5} textAnchor="end">
                  {s === 0 ? "0" : s > 0 ? `+${s}` : `−${-s}`}
                </text>
              </g>
            ))}
          {entering && shares && (
            <path
              d={histogram(plot, shares, entering.start, entering.bin)}
              fill="var(--crenn-palette-bar)"
              opacity={0.55}
              data-testid="entering"
            />
          )}
          <line
            x1={plot.x(FROM)}
            y1={plot.y(FROM)}
            x2={plot.x(UP_TO)}
            y2={plot.y(UP_TO)}
            stroke="var(--crenn-palette-text-secondary)"
            strokeDasharray="2 4"
          />
          {under !== undefined && under > FROM && under < UP_TO && (
            <line
              x1={plot.x(under)}
              x2={plot.x(under)}
              y1={plot.top}
              y2={plot.bottom}
              stroke="var(--crenn-palette-primary-main)"
              data-testid="under"
            />
          )}
          {CHANNELS.filter((c) => c === channel || curve[c].length > 0).map((c) => (
            <path
              key={c}
              d={line(plot, curveOf(curve[c]))}
              fill="none"
              stroke={INK[c]}
              strokeWidth={c === channel ? 1.8 : 0.9}
              opacity={c === channel ? 1 : 0.6}
            />
          ))}
        </g>
        {points.map((p, i) => (
          <CurveHandle key={`${channel} ${i}`} point={p} index={i} chosen={chosen === i} plot={plot} />
        ))}
      </svg>
    </div>
  );
}

function line(plot: Plot, curve: (stop: number) => number): string {
  const out: string[] = [];
  for (let s = FROM; s <= UP_TO + 1e-6; s += (UP_TO - FROM) / 112) {
    const y = Math.min(Math.max(plot.y(curve(s)), plot.top), plot.bottom);
    out.push(`${plot.x(s).toFixed(1)} ${y.toFixed(1)}`);
  }
  return `M ${out.join(" L ")}`;
}

/** Bars of a histogram over what enters; the root shows small lamps beside a large sky. */
function histogram(plot: Plot, shares: number[], start: number, bin: number): string {
  const most = Math.max(...shares, 1e-9);
  const base = plot.bottom;
  const parts = shares.flatMap((share, i) => {
    const [from, to] = [start + i * bin, start + (i + 1) * bin];
    if (share <= 0 || from < FROM || to > UP_TO) return [];
    const top = base - Math.sqrt(share / most) * (base - plot.top) * 0.85;
    return `M ${plot.x(from).toFixed(1)} ${base} V ${top.toFixed(1)} H ${plot.x(to).toFixed(1)} V ${base} Z`;
  });
  return parts.join(" ");
}
