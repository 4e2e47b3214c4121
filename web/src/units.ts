/** How quantities are written. */

const MINUS = "\u2212";

/** A number with a real minus sign and fixed decimals; `plus` writes the sign of positive ones too. */
export function number(value: number, decimals = 1, plus = false): string {
  const text = Math.abs(value).toFixed(decimals);
  if (Number(text) === 0) return text;
  return (value < 0 ? MINUS : plus ? "+" : "") + text;
}

export const stops = (value: number) => `${number(value, 1, true)} EV`;

/** An exposure time as on a camera: 1/60, 0.5 s, 4 s. */
export function shutter(seconds: number | null | undefined): string {
  if (!seconds) return "no time";
  if (seconds < 0.3) return `1/${Math.round(1 / seconds)}`;
  return `${Number(seconds.toFixed(1))} s`;
}

export function percent(share: number): string {
  if (share === 0) return "0 %";
  if (share < 0.0005) return "<0.1 %";
  return `${(share * 100).toFixed(share < 0.1 ? 1 : 0)} %`;
}

/** A luminance, with two figures that count. */
export const luminance = (value: number) => `${Number(value.toPrecision(2))} cd/m²`;

export function bytes(count: number): string {
  if (count > 1e9) return `${(count / 1e9).toFixed(1)} GB`;
  return count > 1e6 ? `${(count / 1e6).toFixed(1)} MB` : `${Math.ceil(count / 1e3)} kB`;
}

/** How long something lasts: "20 s", "1 min 20 s". */
export function lasting(seconds: number): string {
  if (seconds < 60) return `${Number(seconds.toFixed(1))} s`;
  const whole = Math.round(seconds);
  return whole % 60 === 0 ? `${whole / 60} min` : `${Math.floor(whole / 60)} min ${whole % 60} s`;
}

export function duration(seconds: number): string {
  return seconds < 60 ? `${Math.ceil(seconds)} s left` : `${Math.ceil(seconds / 60)} min left`;
}
