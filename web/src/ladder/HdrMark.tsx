import { changeOutput, HDR, stopsOf, useOutputs } from "../state/delivering";
import { held } from "../panel/dials";
import { number } from "../units";
import { AboveWhite } from "./AboveWhite";
import type { Scale } from "./scale";

/** The picture's nominal white. */
const NOMINAL = () => 0;

/** How far above white the delivered file shows light on screens that can, as a mark on the stops. */
export function HdrMark(place: { scale: Scale; left: number; right: number }) {
  const stops = useOutputs((s) => stopsOf(s.list[s.open]));
  if (stops === null) return null;
  return (
    <AboveWhite
      {...place}
      value={stops}
      from={NOMINAL}
      name="Lamps up to"
      testId="hdr-mark"
      title={(stop) => `Light up to ${number(stop, 1, true)} EV has room above white`}
      band="below"
      to={(value) => changeOutput({ hdr: held(HDR, value) })}
      end={() => {}}
    />
  );
}
