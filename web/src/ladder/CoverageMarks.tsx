import type { Report } from "../api/client";
import { shutter } from "../units";
import type { Scale } from "./scale";

interface Props {
  report: Report;
  scale: Scale;
  left: number;
  width: number;
}

/** Stops that no frame measured, and thin ones, beside the bars; and the exposure that would have helped, as a dashed bar. */
export function CoverageMarks({ report, scale, left, width }: Props) {
  const coverage = report.coverage;
  if (!coverage) return null;
  const bracket = (low: number, high: number, missing: boolean) => {
    const top = scale.y(high);
    const bottom = Math.min(scale.y(low), scale.bottom);
    if (bottom <= top) return null;
    return (
      <g key={`${missing} ${low}`}>
        <title>{missing ? "No frame measured these stops" : "Thin: noise shows here when lifted"}</title>
        <path
          d={`M ${left} ${top} h -4 V ${bottom} h 4`}
          fill="none"
          stroke={missing ? "var(--crenn-palette-lamp)" : "var(--crenn-palette-text-secondary)"}
          strokeWidth={missing ? 2 : 1}
        />
        {bottom - top > (missing ? 44 : 24) && (
          <text
            x={left - 6}
            y={(top + bottom) / 2}
            fontSize={9.5}
            fill={missing ? "var(--crenn-palette-lamp)" : "var(--crenn-palette-text-secondary)"}
            textAnchor="middle"
            transform={`rotate(-90 ${left - 6} ${(top + bottom) / 2})`}
          >
            {missing ? "missing" : "thin"}
          </text>
        )}
      </g>
    );
  };
  const advice = coverage.advice;
  const brightest = report.frames.reduce((a, b) => (a.ev > b.ev ? a : b));
  // The advised frame has the range of its nearest kin, moved by its exposure.
  const kin =
    advice && advice.ev < Math.min(...report.frames.map((f) => f.ev))
      ? report.frames.reduce((a, b) => (a.ev < b.ev ? a : b))
      : brightest;
  const moved = advice ? advice.ev - kin.ev : 0;
  return (
    <g>
      {coverage.missing.map(([low, high]) => bracket(low, high, true))}
      {coverage.thin.map(([low, high]) => bracket(low, high, false))}
      {advice && report.mode === "bracket" && (
        <g>
          <title>{`${advice.seconds ? shutter(advice.seconds) : `${advice.ev.toFixed(1)} EV`} would have helped most`}</title>
          <rect
            x={left + 6 + Math.min(width / report.frames.length, 12) * report.frames.length - 1}
            y={scale.y(kin.clip_stop - moved)}
            width={5}
            height={Math.max(
              Math.min(scale.y(kin.noise_stop - moved), scale.bottom) - scale.y(kin.clip_stop - moved),
              2,
            )}
            fill="none"
            stroke="var(--crenn-palette-lamp)"
            strokeDasharray="3 2"
          />
        </g>
      )}
    </g>
  );
}
