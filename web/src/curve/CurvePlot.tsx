import { type PointerEvent, useRef } from "react";

import { NAMES, setPoints, storeCurve, useCurve, useCurveSize, useEntering } from "../state/curve";
import { hold, release, useScene } from "../state/scene";
import { useView } from "../state/view";
import { useDrag } from "../useDrag";
import { CurveHandle } from "./CurveHandle";
import { BOTTOM, HEIGHT, INK, LEFT, PER_PIXEL, plotX, plotY, SPAN, WIDTH } from "./plot";
import { added, type Channel, curveOf, FROM, moved, UP_TO } from "./points";

const CHANNELS: Channel[] = ["points", "red", "green", "blue"];

/** The curve on a scale of stops: light that enters across, light that leaves upwards. */
export function CurvePlot() {
  const curve = useScene((s) => s.treatment?.curve);
  const { channel, chosen } = useCurve();
  const large = useCurveSize((s) => s.large);
  const entering = useEntering().data;
  const under = useView((s) => s.probe?.entering?.[CHANNELS.indexOf(channel)]);
  const box = useRef<SVGSVGElement>(null);

  const drag = useDrag<{ index: number }>({
    begin: (e) => {
      const at = stopsAt(e, box.current!);
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
    move: ({ index }, e) => setPoints((points) => moved(points, index, stopsAt(e, box.current!))),
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
    <div className={large ? "curve large" : "curve"}>
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
        viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
        width="100%"
        role="group"
        aria-label={`Curve of ${NAMES[channel].toLowerCase()}`}
      >
        <rect
          x={LEFT}
          y={6}
          width={WIDTH - LEFT - 6}
          height={HEIGHT - BOTTOM - 6}
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
              <line x1={plotX(s)} x2={plotX(s)} y1={6} y2={HEIGHT - BOTTOM} />
              <line x1={LEFT} x2={WIDTH - 6} y1={plotY(s)} y2={plotY(s)} />
            </g>
          ))}
          {whole
            .filter((s) => s % 2 === 0)
            .map((s) => (
              <g key={s} fontSize={9.5} fill="var(--crenn-palette-text-secondary)">
                <text x={plotX(s)} y={HEIGHT - 4} textAnchor="middle">
                  {s === 0 ? "0" : s > 0 ? `+${s}` : `−${-s}`}
                </text>
                <text x={LEFT - 4} y={plotY(s) + 3.5} textAnchor="end">
                  {s === 0 ? "0" : s > 0 ? `+${s}` : `−${-s}`}
                </text>
              </g>
            ))}
          {entering && shares && (
            <path
              d={histogram(shares, entering.start, entering.bin)}
              fill="var(--crenn-palette-bar)"
              opacity={0.55}
              data-testid="entering"
            />
          )}
          <line
            x1={plotX(FROM)}
            y1={plotY(FROM)}
            x2={plotX(UP_TO)}
            y2={plotY(UP_TO)}
            stroke="var(--crenn-palette-text-secondary)"
            strokeDasharray="2 4"
          />
          {under !== undefined && under > FROM && under < UP_TO && (
            <line
              x1={plotX(under)}
              x2={plotX(under)}
              y1={6}
              y2={HEIGHT - BOTTOM}
              stroke="var(--crenn-palette-primary-main)"
              data-testid="under"
            />
          )}
          {CHANNELS.filter((c) => c === channel || curve[c].length > 0).map((c) => (
            <path
              key={c}
              d={line(curveOf(curve[c]))}
              fill="none"
              stroke={INK[c]}
              strokeWidth={c === channel ? 1.8 : 0.9}
              opacity={c === channel ? 1 : 0.6}
            />
          ))}
        </g>
        {points.map((p, i) => (
          <CurveHandle key={`${channel} ${i}`} point={p} index={i} chosen={chosen === i} />
        ))}
      </svg>
    </div>
  );
}

/** Stops of the plot under a pointer. */
function stopsAt(e: PointerEvent<Element>, svg: SVGSVGElement) {
  const { left, top, width, height } = svg.getBoundingClientRect();
  const x = ((e.clientX - left) / width) * WIDTH;
  const y = ((e.clientY - top) / height) * HEIGHT;
  return { at: FROM + (x - LEFT) * PER_PIXEL.x, to: FROM + (HEIGHT - BOTTOM - y) * PER_PIXEL.y };
}

function line(curve: (stop: number) => number): string {
  const out: string[] = [];
  for (let s = FROM; s <= UP_TO + 1e-6; s += SPAN / 112) {
    const y = Math.min(Math.max(plotY(curve(s)), 6), HEIGHT - BOTTOM);
    out.push(`${plotX(s).toFixed(1)} ${y.toFixed(1)}`);
  }
  return `M ${out.join(" L ")}`;
}

/** Bars of a histogram over what enters; the root shows small lamps beside a large sky. */
function histogram(shares: number[], start: number, bin: number): string {
  const most = Math.max(...shares, 1e-9);
  const base = HEIGHT - BOTTOM;
  const parts = shares.flatMap((share, i) => {
    const [from, to] = [start + i * bin, start + (i + 1) * bin];
    if (share <= 0 || from < FROM || to > UP_TO) return [];
    const top = base - Math.sqrt(share / most) * (base - 30);
    return `M ${plotX(from).toFixed(1)} ${base} V ${top.toFixed(1)} H ${plotX(to).toFixed(1)} V ${base} Z`;
  });
  return parts.join(" ");
}
