import type { Report } from "../api/client";

/** The ladder's vertical scale: one stop has the same height in every column. */
export interface Scale {
  low: number;
  high: number;
  top: number;
  bottom: number;
  /** Height of a stop of the scene. */
  y: (stop: number) => number;
  stopAt: (y: number) => number;
  /** Height of a tone in %, on the tone bar. */
  tone: (percent: number) => number;
}

/** The stops that a scene's ladder shows. */
export function span(report: Report): [number, number] {
  const clip = Math.max(...report.frames.map((f) => f.clip_stop), report.high_stop);
  const floor = Math.min(report.low_stop, report.noise_horizon, ...report.frames.map((f) => f.noise_stop));
  return [Math.floor(Math.max(floor, report.low_stop - 3)) - 0.5, Math.ceil(clip) + 0.5];
}

export function makeScale(report: Report, height: number): Scale {
  const [low, high] = span(report);
  const top = 34;
  const bottom = height - 12;
  const perStop = (bottom - top) / (high - low);
  return {
    low,
    high,
    top,
    bottom,
    y: (stop) => bottom - (stop - low) * perStop,
    stopAt: (y) => low + (bottom - y) / perStop,
    tone: (percent) => bottom - (percent / 100) * (bottom - top),
  };
}

/** Tone in % at a stop, from the placement lines. */
export function toneAt(lines: [number, number][], stop: number): number | null {
  if (lines.length === 0) return null;
  if (stop <= lines[0][0]) return lines[0][1];
  for (let i = 1; i < lines.length; i++) {
    const [s1, t1] = lines[i];
    if (stop <= s1) {
      const [s0, t0] = lines[i - 1];
      return t0 + ((stop - s0) / (s1 - s0)) * (t1 - t0);
    }
  }
  return lines[lines.length - 1][1];
}

/** The EV of the picture that is shown as a tone in %, of pairs of both that rise; at the ends, of the nearest to it. */
export function evAt(tones: [number, number][], tone: number): number {
  if (tones.length === 0) return 0;
  const above = tones.findIndex(([, t]) => t >= Math.min(tone, tones[tones.length - 1][1]));
  if (above === 0) {
    // All that is darker than black has its tone: the brightest of it counts.
    const first = tones.findIndex(([, t]) => t > tone + 1e-3);
    return tones[Math.max(first - 1, 0)][0];
  }
  const [[e0, t0], [e1, t1]] = [tones[above - 1], tones[above]];
  return t1 > t0 ? e0 + ((Math.min(tone, t1) - t0) / (t1 - t0)) * (e1 - e0) : e0;
}

/** The stop placed on white, and the one placed on black. */
export function ends(lines: [number, number][]): { white: number | null; black: number | null } {
  const white = lines.find(([, t]) => t >= 99.5)?.[0] ?? null;
  let black: number | null = null;
  for (const [s, t] of lines) if (t <= 0.3) black = s;
  return { white, black };
}
