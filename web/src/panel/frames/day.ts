import type { Report } from "../../api/client";

/** From so many seconds on, up to this ISO, a frame of a night is seldom exposed; and light of day is of such kelvins. */
const SECONDS = 15;
const ISO = 200;
const KELVINS = [4500, 9000];

/** Whether a long exposure shows what looks like day: as a filter before the lens lets it. */
export function looksLikeDay(report: Report): boolean {
  const { seconds, iso } = report.capture ?? {};
  if (!seconds || !iso || seconds < SECONDS || iso > ISO) return false;
  const kelvin = report.as_shot[0];
  return kelvin >= KELVINS[0] && kelvin <= KELVINS[1] && report.lamps.length === 0 && report.mode !== "stack";
}
