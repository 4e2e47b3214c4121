import type { Report } from "../api/client";
import type { Scale } from "./scale";

interface Props {
  report: Report;
  scale: Scale;
  left: number;
  width: number;
  /** Share of the picture within an area, per bin, if one is looked at. */
  within?: number[] | null;
}

/** The scene's histogram in stops, as horizontal bars, with clipped light and the noise horizon on it. */
export function StopHistogram({ report, scale, left, width, within }: Props) {
  // Two bins together: quarter stops can be told apart at this height.
  const bars: { stop: number; share: number; clipped: number; within: number }[] = [];
  for (let i = 0; i + 1 < report.histogram.length; i += 2) {
    bars.push({
      stop: report.histogram_start + i * report.histogram_bin,
      share: report.histogram[i] + report.histogram[i + 1],
      clipped: report.clipped_histogram[i] + report.clipped_histogram[i + 1],
      within: within ? (within[i] ?? 0) + (within[i + 1] ?? 0) : 0,
    });
  }
  const most = Math.max(...bars.map((b) => b.share), 1e-9);
  const thick = Math.max(scale.y(0) - scale.y(2 * report.histogram_bin) - 1, 1);
  // The root shows small lamps beside a large sky.
  const length = (share: number) => (share > 0 ? Math.max(Math.sqrt(share / most) * width, 0.8) : 0);
  const horizon = scale.y(report.noise_horizon);
  return (
    <g>
      <defs>
        <pattern id="noise-hatch" width="5" height="5" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
          <line x1="0" y1="0" x2="0" y2="5" stroke="var(--crenn-palette-text-secondary)" strokeWidth="0.8" />
        </pattern>
      </defs>
      {bars.map((bar) => {
        const y = scale.y(bar.stop + 2 * report.histogram_bin);
        if (y < scale.top - 20 || y > scale.bottom) return null;
        return (
          <g key={bar.stop}>
            <rect x={left} y={y} width={length(bar.share)} height={thick} fill="var(--crenn-palette-bar)" />
            {bar.within > 0 && (
              <rect
                x={left}
                y={y}
                width={length(Math.min(bar.within, bar.share))}
                height={thick}
                fill="var(--crenn-palette-primary-main)"
                data-within
              />
            )}
            {bar.clipped > 0 && (
              <rect x={left} y={y} width={length(bar.clipped)} height={thick} fill="var(--crenn-palette-lamp)" />
            )}
          </g>
        );
      })}
      {horizon < scale.bottom - 2 && (
        <g>
          <rect
            x={left}
            y={horizon}
            width={width + 4}
            height={scale.bottom - horizon}
            fill="url(#noise-hatch)"
            opacity={0.55}
          />
          <line
            x1={left}
            x2={left + width + 4}
            y1={horizon}
            y2={horizon}
            stroke="var(--crenn-palette-text-secondary)"
          />
          <title>Noise horizon: below it signal to noise is under 12 dB</title>
          <text
            x={left + 12}
            y={horizon + 11}
            fontSize={9.5}
            fill="var(--crenn-palette-text-secondary)"
            stroke="var(--crenn-palette-background-paper)"
            strokeWidth={4}
            paintOrder="stroke"
          >
            noise
          </text>
        </g>
      )}
    </g>
  );
}
