import type { Coverage, Report } from "../../api/client";
import { number } from "../../units";

/** What the frames covered: in figures, and in words. */
export function CoverageFacts({ coverage, report }: { coverage: Coverage; report: Report }) {
  return (
    <>
      <div className="group">Coverage</div>
      <dl className="facts">
        <dt>Light in the scene</dt>
        <dd>
          {number(report.low_stop, 1, true)} to {number(report.high_stop, 1, true)} EV
        </dd>
        {coverage.lifts.map((lift) => (
          <Fact
            key={lift.long_edge}
            name={`Shadows lift, at ${lift.long_edge} px`}
            value={`${number(lift.ev, 1, true)} EV`}
          />
        ))}
      </dl>
      <ul className="notes">
        {coverage.words
          .filter((w) => !/^At \d+ px/.test(w))
          .map((w) => (
            <li key={w}>{w}</li>
          ))}
      </ul>
    </>
  );
}

function Fact({ name, value }: { name: string; value: string }) {
  return (
    <>
      <dt>{name}</dt>
      <dd>{value}</dd>
    </>
  );
}
