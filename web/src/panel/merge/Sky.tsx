import type { Report } from "../../api/client";
import { instruct, mergeAgain } from "../../state/merging";
import { setView, useView } from "../../state/view";
import { percent } from "../../units";
import { BrushTool, StrokeList } from "./BrushTool";

const METHODS = { mean: "mean", clipped: "mean without outliers", median: "median", maximum: "maximum" };

/** How a stack became one: its method, what was rejected, and the border of sky and ground. */
export function Sky({ report }: { report: Report }) {
  const view = useView((s) => s.view);
  const stack = report.stack!;
  return (
    <>
      <div className="group">Stack</div>
      <dl className="facts">
        <dt>{stack.frames} frames</dt>
        <dd>{METHODS[stack.method]}</dd>
        <dt>Signal to noise gained</dt>
        <dd>{stack.method === "maximum" ? "none" : `${stack.expected_gain_db.toFixed(1)} dB`}</dd>
        <dt>Passing light left out</dt>
        <dd>{percent(stack.rejected)}</dd>
        {stack.filled > 0 && (
          <>
            <dt>Pauses filled</dt>
            <dd>{stack.filled}</dd>
          </>
        )}
        <dt>Hot pixels mended</dt>
        <dd>{report.hot_pixels}</dd>
      </dl>
      {stack.frames > 2 && <Registered sky={stack.sky} why={stack.why} />}
      {stack.sky && (
        <>
          <p className="dim">The sky follows the stars, the ground stays. Paint where the border is wrong.</p>
          <button className="link" aria-pressed={view === "ground"} onClick={() => setView("ground")}>
            {view === "ground" ? "Show the picture" : "Show the ground"}
          </button>
          <BrushTool
            kinds={[
              { kind: "ground", title: "Ground", help: "Paint what stands still: masts, trees, roofs." },
              { kind: "sky", title: "Sky", help: "Paint what turns with the stars." },
            ]}
          />
          <StrokeList kinds={["ground", "sky"]} />
        </>
      )}
    </>
  );
}

/** What the frames were registered on and by what that was decided; the other way is one click away. */
function Registered({ sky, why }: { sky: boolean; why: string }) {
  // Nothing was decided where it was asked for: then the way back is to let the frames decide.
  const other = why ? (sky ? "ground" : "stars") : "auto";
  const turnRound = async () => {
    await instruct((i) => ({ ...i, follow: other }));
    mergeAgain();
  };
  return (
    <>
      <p className="dim">
        {sky ? "Registered on the stars" : "Registered as whole pictures"}
        {why ? `: ${why}` : ", as asked."}
      </p>
      <button className="link" onClick={() => void turnRound()}>
        {
          {
            ground: "Merge as whole pictures instead",
            stars: "Merge on the stars instead",
            auto: "Merge by what they show",
          }[other]
        }
      </button>
    </>
  );
}
