import type { Report } from "../api/client";
import { evAt } from "./scale";

type Pairs = [number, number][];

/** Tone in % that counts as white, and those between which stops and EV are read off each other. */
const WHITE = 99.2;
const READ: [number, number] = [2, 98];
/** So many stops near the upper end tell how it goes on beyond. */
const NEAR = 2;

/** Stops of the scene, as they are placed, with the EV of the picture that they come to. */
function pairs(lines: Pairs, tones: Pairs): Pairs {
  return lines.filter(([, t]) => t > READ[0] && t < READ[1]).map(([s, t]) => [s, evAt(tones, t)]);
}

/** A rising function by pairs, its ends carried on: by columns 0 to 1, or back. */
function read(of: Pairs, from: 0 | 1, value: number): number {
  const to = from === 0 ? 1 : 0;
  const last = of.length - 1;
  let i = of.findIndex((p) => p[from] >= value);
  if (i < 0) {
    // Beyond the upper end it goes on as it did in the last stops.
    const back = Math.max(
      of.findIndex((p) => p[0] >= of[last][0] - NEAR),
      0,
    );
    const [a, b] = [of[Math.min(back, last - 1)], of[last]];
    return b[to] + ((value - b[from]) * (b[to] - a[to])) / Math.max(b[from] - a[from], 1e-6);
  }
  i = Math.max(i, 1);
  const [a, b] = [of[i - 1], of[i]];
  return a[to] + ((value - a[from]) * (b[to] - a[to])) / Math.max(b[from] - a[from], 1e-6);
}

/** Where light of some EV of the picture lies on the stops of the scene; null where nothing tells. */
export function stopOfEv(lines: Pairs, tones: Pairs, ev: number): number | null {
  const known = pairs(lines, tones);
  return known.length < 2 ? null : read(known, 1, ev);
}

/** The EV of the picture that light at a stop of the scene comes to. */
export function evOfStop(lines: Pairs, tones: Pairs, stop: number): number | null {
  const known = pairs(lines, tones);
  return known.length < 2 ? null : read(known, 0, stop);
}

/** Share of the scene whose light lies above a stop, by its histogram. */
export function shareAbove(
  report: Pick<Report, "histogram" | "histogram_start" | "histogram_bin">,
  stop: number,
): number {
  const { histogram, histogram_start: start, histogram_bin: bin } = report;
  return histogram.reduce((sum, share, i) => {
    // Of the bin that the stop lies in, what lies above it.
    const above = Math.min(1, Math.max(0, (start + (i + 1) * bin - stop) / bin));
    return sum + share * above;
  }, 0);
}

/** The EV of the picture that is shown as white. */
export const whiteOf = (tones: Pairs) => evAt(tones, WHITE);
