/** Slopes at the points, so that no piece between them turns back (Fritsch and Butland 1984). */
function slopes(at: number[], to: number[]): number[] {
  const n = at.length;
  const span = at.slice(1).map((a, i) => a - at[i]);
  const rise = span.map((h, i) => (to[i + 1] - to[i]) / h);
  if (n === 2) return [rise[0], rise[0]];
  const end = (h0: number, h1: number, d0: number, d1: number) => {
    const d = ((2 * h0 + h1) * d0 - h0 * d1) / (h0 + h1);
    if (Math.sign(d) !== Math.sign(d0)) return 0;
    return Math.sign(d0) !== Math.sign(d1) && Math.abs(d) > 3 * Math.abs(d0) ? 3 * d0 : d;
  };
  const out = [end(span[0], span[1], rise[0], rise[1])];
  for (let i = 1; i < n - 1; i++) {
    if (rise[i - 1] * rise[i] <= 0) out.push(0);
    else {
      const [one, other] = [2 * span[i] + span[i - 1], span[i] + 2 * span[i - 1]];
      out.push((one + other) / (one / rise[i - 1] + other / rise[i]));
    }
  }
  out.push(end(span[n - 2], span[n - 3], rise[n - 2], rise[n - 3]));
  return out;
}

/** Monotone cubic pieces through values at rising places; beyond the outermost, those. */
export function monotone(at: number[], to: number[]): (x: number) => number {
  const slope = slopes(at, to);
  const last = at.length - 1;
  return (x) => {
    if (x <= at[0]) return to[0];
    if (x >= at[last]) return to[last];
    let i = 0;
    while (x > at[i + 1]) i++;
    const h = at[i + 1] - at[i];
    const t = (x - at[i]) / h;
    const u = 1 - t;
    return (
      u * u * (1 + 2 * t) * to[i] + t * t * (1 + 2 * u) * to[i + 1] + t * u * h * (u * slope[i] - t * slope[i + 1])
    );
  };
}
