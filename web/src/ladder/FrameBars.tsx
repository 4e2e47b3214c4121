import type { Report } from "../api/client";
import { shutter } from "../units";
import type { Scale } from "./scale";

interface Props {
  report: Report;
  scale: Scale;
  left: number;
  width: number;
  /** Name of the frame that stands out. */
  marked?: string | null;
  /** Whether each bar shows the share of the picture that its frame feeds. */
  feeds?: boolean;
  /** Tones of the source view by frame: the bars are its key. */
  tones?: Record<string, number> | null;
}

/** Each frame as a bar over the stops it measured well: it ends where the frame clips and fades where noise takes over. */
export function FrameBars({ report, scale, left, width, marked, feeds, tones }: Props) {
  const frames = [...report.frames].sort((a, b) => a.ev - b.ev);
  const pitch = Math.min(width / frames.length, 12);
  const bar = Math.max(Math.min(pitch - 4, 7), 2);
  const labelled = frames.length <= 6;
  return (
    <g>
      <defs>
        <linearGradient id="fade" x1="0" y1="0" x2="0" y2="1">
          <stop offset="0" stopColor="var(--crenn-palette-text-primary)" stopOpacity="0.85" />
          <stop offset="0.6" stopColor="var(--crenn-palette-text-primary)" stopOpacity="0.5" />
          <stop offset="1" stopColor="var(--crenn-palette-text-primary)" stopOpacity="0.04" />
        </linearGradient>
      </defs>
      {frames.map((frame, i) => {
        const x = left + i * pitch;
        const top = scale.y(frame.clip_stop);
        const bottom = Math.min(scale.y(frame.noise_stop), scale.bottom);
        const on = marked === frame.name;
        return (
          <g key={frame.name} opacity={marked && !on ? 0.4 : 1}>
            <title>
              {`${frame.name}: ${shutter(frame.seconds)}, clips at ${frame.clip_stop.toFixed(1)} EV, noise below ${frame.noise_stop.toFixed(1)} EV, feeds ${(frame.feeds * 100).toFixed(0)} %`}
            </title>
            <rect
              x={x}
              y={top}
              width={bar}
              height={Math.max(bottom - top, 2)}
              fill={
                on
                  ? "var(--crenn-palette-primary-main)"
                  : tones
                    ? `hsl(0 0% ${Math.round((tones[frame.name] ?? 0) * 78)}%)`
                    : "url(#fade)"
              }
              stroke={tones ? "var(--crenn-palette-text-secondary)" : "none"}
              strokeWidth={0.6}
            />
            {feeds && !tones && (
              <rect
                x={x}
                y={bottom - (bottom - top) * frame.feeds}
                width={bar}
                height={(bottom - top) * frame.feeds}
                fill="var(--crenn-palette-primary-main)"
                opacity={0.75}
              />
            )}
            <line
              x1={x - 1}
              x2={x + bar + 1}
              y1={top}
              y2={top}
              stroke="var(--crenn-palette-text-primary)"
              strokeWidth={2}
            />
            {labelled && (
              <text
                x={x + bar / 2}
                y={top - 5}
                fontSize={9.5}
                fill="var(--crenn-palette-text-secondary)"
                transform={`rotate(-42 ${x + bar / 2} ${top - 5})`}
              >
                {shutter(frame.seconds)}
              </text>
            )}
          </g>
        );
      })}
    </g>
  );
}
