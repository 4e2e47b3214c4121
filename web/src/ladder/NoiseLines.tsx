import type { Reach, Report } from "../api/client";
import { useSignal } from "../state/output";
import { stops } from "../units";
import type { Scale } from "./scale";

interface Props {
  report: Report;
  scale: Scale;
  left: number;
  width: number;
}

/** Signal to noise that the column's right end stands for, in dB. */
const FULL = 80;

/** A line through the bins where something is known: a new one begins after a gap. */
function path(values: (number | null)[], report: Report, scale: Scale, left: number, width: number): string {
  let out = "";
  let pen = false;
  values.forEach((db, i) => {
    const y = scale.y(report.histogram_start + (i + 0.5) * report.histogram_bin);
    if (db === null || y < scale.top || y > scale.bottom) {
      pen = false;
      return;
    }
    out += `${pen ? "L" : "M"}${(left + (Math.min(Math.max(db, 0), FULL) / FULL) * width).toFixed(1)} ${y.toFixed(1)}`;
    pen = true;
  });
  return out;
}

/** Signal to noise along the stops, in dB, as large as the picture will be: thin as taken, bold with noise taken out. */
export function NoiseLines({ report, scale, left, width }: Props) {
  const { data } = useSignal();
  const before = data?.before.snr_db ?? report.snr_db;
  const after = data?.after?.snr_db;
  const horizon = (reach: Reach | null | undefined, bold: boolean) => {
    const y = reach && scale.y(reach.horizon);
    if (!y || y < scale.top || y > scale.bottom) return null;
    return (
      <line
        x1={left}
        x2={left + width}
        y1={y}
        y2={y}
        stroke={`var(--crenn-palette-text-${bold ? "primary" : "secondary"})`}
        strokeWidth={bold ? 1.8 : 1.2}
        data-horizon={bold ? "after" : "before"}
      >
        <title>{`Noise horizon ${bold ? "with noise taken out" : "as taken"}: ${stops(reach.horizon)}`}</title>
      </line>
    );
  };
  return (
    <g data-testid="noise-lines">
      {[0, 40, FULL].map((db) => (
        <g key={db}>
          <line
            x1={left + (db / FULL) * width}
            x2={left + (db / FULL) * width}
            y1={scale.top}
            y2={scale.bottom}
            stroke="var(--crenn-palette-divider)"
            strokeDasharray="2 4"
          />
          {db > 0 && (
            <text
              x={left + (db / FULL) * width}
              y={scale.top - 6}
              fontSize={9}
              textAnchor="middle"
              fill="var(--crenn-palette-text-secondary)"
            >
              {db}
              {db === FULL ? " dB" : ""}
            </text>
          )}
        </g>
      ))}
      <path
        d={path(before, report, scale, left, width)}
        fill="none"
        stroke="var(--crenn-palette-text-secondary)"
        strokeWidth={1.2}
        data-line="before"
      >
        <title>Signal to noise as the frames give it</title>
      </path>
      {horizon(data?.before, false)}
      {horizon(data?.after, true)}
      {after && (
        <path
          d={path(after, report, scale, left, width)}
          fill="none"
          stroke="var(--crenn-palette-text-primary)"
          strokeWidth={1.8}
          data-line="after"
        >
          <title>With noise taken out, in smooth places</title>
        </path>
      )}
    </g>
  );
}
