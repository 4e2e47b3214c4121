const MOST = 30;

/** Stops that a filter takes, from text: "10", "10 stops", "1000×", "ND 3.0" (its density); null if it is none. */
export function parseStops(text: string): number | null {
  const found = /^\s*(nd)?\s*(\d+(?:[.,]\d+)?)\s*(stops?|ev|×|x)?\s*$/i.exec(text);
  if (!found) return null;
  const value = Number(found[2].replace(",", "."));
  const unit = (found[3] ?? "").toLowerCase();
  let stops = value;
  if (unit === "×" || unit === "x") stops = value >= 1 ? Math.log2(value) : NaN;
  // Densities are small numbers; larger ones after the letters are factors.
  else if (found[1] && !unit) stops = value <= 5 ? value / Math.log10(2) : Math.log2(value);
  return Number.isFinite(stops) && stops >= 0 && stops <= MOST ? Math.round(stops * 100) / 100 : null;
}
