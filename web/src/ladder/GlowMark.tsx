import { useSteps } from "../api/queries";
import { held } from "../panel/dials";
import { hold, preview, release, store, useScene } from "../state/scene";
import { withValue } from "../state/values";
import { number } from "../units";
import { AboveWhite } from "./AboveWhite";
import { whiteOf } from "./aboveWhite";
import type { Scale } from "./scale";

/** The light from which on it spills over, as a mark on the stops: all above it glows. */
export function GlowMark(place: { scale: Scale; left: number; right: number }) {
  const glow = useScene((s) => s.treatment?.glow);
  const dial = useSteps()
    .data?.find((s) => s.name === "glow")
    ?.parameters.find((p) => p.name === "threshold");
  if (!glow?.on || !glow.amount) return null;
  return (
    <AboveWhite
      {...place}
      value={glow.threshold}
      from={whiteOf}
      name="Threshold of the glow"
      testId="glow-mark"
      title={(stop) => `Light above ${number(stop, 1, true)} EV spills over`}
      band="above"
      begin={() => hold()}
      to={(value) => {
        if (dial?.kind === "dial") preview((t) => withValue(t, ["glow", "threshold"], held(dial, value)));
      }}
      end={() => {
        release();
        store("Threshold of the glow");
      }}
    />
  );
}
