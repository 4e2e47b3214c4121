import { useView } from "../state/view";
import type { Scale } from "./scale";

const CHANNELS = ["red", "green", "blue"] as const;
/** The most that a bin can be. */
const MOST = 255;

/** The points of a histogram that grows leftwards from the tone bar, from black up. */
function points(bins: readonly number[], scale: Scale, right: number, width: number): string {
  const at = (tone: number) => scale.tone(tone).toFixed(1);
  return bins
    .map((v, i) => {
      const x = (right - (v / MOST) * width).toFixed(1);
      return `${x},${at((i * 100) / bins.length)} ${x},${at(((i + 1) * 100) / bins.length)}`;
    })
    .join(" ");
}

/** How often each tone comes in the picture that is shown: of its luminance, and of red, green and blue. */
export function ToneHistogram({ scale, right, width }: { scale: Scale; right: number; width: number }) {
  const bins = useView((s) => s.bins);
  if (!bins) return null;
  return (
    <g className="tone-histogram" role="img" aria-label="Tones of the picture">
      <polygon
        data-of="luminance"
        points={`${right},${scale.tone(0)} ${points(bins.luminance, scale, right, width)} ${right},${scale.tone(100)}`}
      />
      {CHANNELS.map((name) => (
        <polyline key={name} data-of={name} points={points(bins[name], scale, right, width)} />
      ))}
    </g>
  );
}
