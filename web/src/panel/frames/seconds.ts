/** The longest exposure that is believed, in seconds. */
const LONGEST = 36000;

/** Seconds of a typed exposure time such as 1/60 or 2.5; null if it is none. */
export function parseSeconds(text: string): number | null {
  const match = /^\s*(\d+(?:\.\d+)?)(?:\s*\/\s*(\d+(?:\.\d+)?))?\s*s?\s*$/.exec(text.replace(",", "."));
  if (!match) return null;
  const value = Number(match[1]) / Number(match[2] ?? 1);
  return value > 0 && value <= LONGEST ? value : null;
}
