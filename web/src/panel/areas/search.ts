import type { Bendable } from "./bends";

/** Other words for what steps and dials do, by step or by step and dial. */
const ALSO: Record<string, string> = {
  white_balance: "white balance colour of the light warm cold warmer colder kelvin",
  exposure: "brightness brighten darken lighten dodge burn",
  "placement.shadows": "lift darks brighten fill",
  "placement.highlights": "recover lights pull down",
  relief: "structure",
  "relief.fine": "texture detail",
  "relief.medium": "forms volume",
  sharpening: "sharpening sharpness sharpen crisp soften blur",
  noise: "grain denoise smooth clean",
  haze: "mist fog air veil",
  tone: "contrast steepness",
  curve: "tones gamma darks lights",
  ends: "white black clip range",
  saturation: "colourful vivid pale dull grey",
  stars: "points of light night sky",
  hues: "colour range",
  tints: "toning split colour of tones",
  sky: "polariser blue deepen",
};

/** How well a word fits a dial: 0 best, null not at all. */
function fit({ name, step, dial }: Bendable, word: string): number | null {
  const title = dial.title.toLowerCase();
  if (title.startsWith(word)) return 0;
  if (title.includes(word)) return 1;
  if (step.toLowerCase().includes(word)) return 2;
  const also = `${ALSO[name.split(".")[0]] ?? ""} ${ALSO[name] ?? ""}`;
  if (also.split(" ").some((other) => other.startsWith(word))) return 3;
  return dial.help.toLowerCase().includes(word) ? 4 : null;
}

/** Dials that every word fits by title, step, other words for it or help; those of a step together, the best first. */
export function sought(dials: readonly Bendable[], text: string): Bendable[] {
  const words = text.toLowerCase().split(/\s+/).filter(Boolean);
  const found = dials.flatMap((dial) => {
    const fits = words.map((word) => fit(dial, word));
    return fits.includes(null) ? [] : [{ dial, worst: Math.max(0, ...(fits as number[])) }];
  });
  const best = new Map<string, number>();
  for (const { dial, worst } of found) best.set(dial.step, Math.min(best.get(dial.step) ?? Infinity, worst));
  const order = [...best.keys()];
  return found
    .sort(
      (a, b) =>
        best.get(a.dial.step)! - best.get(b.dial.step)! ||
        order.indexOf(a.dial.step) - order.indexOf(b.dial.step) ||
        a.worst - b.worst,
    )
    .map(({ dial }) => dial);
}
