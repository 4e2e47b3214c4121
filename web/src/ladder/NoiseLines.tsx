import type { Report } from "../api/client";
import type { Scale } from "./scale";

interface Props {
  report: Report;
  /** By how much signal to noise grows where noise is taken out, in dB; null before. */
  gain: number | null;
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

/** Signal to noise of single pixels along the stops, in dB: thin as the frames give it, bold with noise taken out. */
export function NoiseLines({ report, gain, scale, left, width }: Props) {
  const before = report.snr_db;
  const after = gain !== null && before.map((db) => (db === null ? null : db + gain));
  return (
    <g data-testid="noise-lines">
      {[0, 40, FULL].map((db) => (
        <g key={db}>
          <line x1={left + (db / FULL) * width} x2={left + (db / FULL) * width} y1={scale.top} y2={scale.bottom} stroke="var(--crenn-palette-divider)" strokeDasharray="2 4" />
          {db > 0 && (
            <text x={left + (db / FULL) * width} y={scale.top - 6} fontSize={9} textAnchor="middle" fill="var(--crenn-palette-text-secondary)">
              {db}
              {db === FULL ? " dB" : ""}
            </text>
          )}
        </g>
      ))}
      <path d={path(before, report, scale, left, width)} fill="none" stroke="var(--crenn-palette-text-secondary)" strokeWidth={1.2} data-line="before">
        <title>Signal to noise of single pixels, as the frames give it</title>
      </path>
      {after && (
        <path d={path(after, report, scale, left, width)} fill="none" stroke="var(--crenn-palette-text-primary)" strokeWidth={1.8} data-line="after">
          <title>With noise taken out, in smooth places</title>
        </path>
      )}
    </g>
  );
}
