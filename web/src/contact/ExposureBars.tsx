import type { Frame } from "../api/client";
import { number, shutter } from "../units";

/** Stops a frame is taken to hold below its clipping, before its merge has measured it. */
const HELD = 10;

/** A scene's exposures as bars on a scale of stops, each over the light that its frame holds. */
export function ExposureBars({ frames, height }: { frames: Frame[]; height: number }) {
  const known = frames.filter((f) => f.sensitivity);
  if (known.length === 0) return <p className="dim">No exposure times</p>;
  const tops = known.map((f) => -Math.log2(f.sensitivity!));
  const middle = Math.round([...tops].sort((a, b) => a - b)[Math.floor((tops.length - 1) / 2)]);
  const high = Math.max(...tops) - middle;
  const low = Math.min(...tops) - middle - HELD;
  const y = (stop: number) => 14 + ((high - stop) / (high - low)) * (height - 20);
  const pitch = Math.min(50 / known.length, 12);
  const lines: number[] = [];
  for (let s = Math.ceil(low / 2) * 2; s <= high; s += 2) lines.push(s);
  return (
    <svg
      width={80}
      height={height}
      role="img"
      aria-label={`Exposures: ${known.map((f) => shutter(f.seconds)).join(", ")}`}
    >
      {lines.map((s) => (
        <g key={s}>
          <line x1={0} x2={54} y1={y(s)} y2={y(s)} stroke="var(--crenn-palette-divider)" />
          {s % 4 === 0 && (
            <text x={78} y={y(s) + 3.5} fontSize={10} textAnchor="end" fill="var(--crenn-palette-text-secondary)">
              {s === 0 ? "0" : number(s, 0, true)}
            </text>
          )}
        </g>
      ))}
      {known.map((f, i) => {
        const top = y(tops[i] - middle);
        return (
          <g key={f.id} opacity={f.included ? 1 : 0.3}>
            <title>{`${f.name}: ${shutter(f.seconds)}`}</title>
            <rect
              x={2 + i * pitch}
              y={top}
              width={Math.max(pitch - 4, 2)}
              height={y(tops[i] - middle - HELD) - top}
              fill="var(--crenn-palette-bar)"
            />
            <rect
              x={2 + i * pitch - 1}
              y={top}
              width={Math.max(pitch - 4, 2) + 2}
              height={2}
              fill="var(--crenn-palette-text-primary)"
            />
          </g>
        );
      })}
    </svg>
  );
}
