import type { Report } from "../../api/client";
import { useScene } from "../../state/scene";
import { setView, useView } from "../../state/view";
import { number, percent, shutter } from "../../units";

/** The merged frames: how they were exposed, how far they lay off, and what they feed. Their tones are the source view's key. */
export function FramesTable({ report }: { report: Report }) {
  const view = useView((s) => s.view);
  const tones = useScene((s) => s.scene?.frame_tones) ?? {};
  const frames = report.mode === "stack" ? report.frames : [...report.frames].sort((a, b) => a.ev - b.ev);
  const moved = report.aligned;
  const stack = report.mode === "stack";
  const reference = report.frames[report.source_indices.indexOf(report.reference)]?.name;
  return (
    <>
      <div className="group">Frames</div>
      <div className="scrolled">
        <table className="plain thirds">
          <thead>
            <tr>
              <th>Exposure</th>
              <th>{moved ? "Off by" : "Clipped"}</th>
              <th>{stack ? "Placed to" : "Feeds"}</th>
            </tr>
          </thead>
          <tbody>
            {frames.map((f) => (
              <tr
                key={f.name}
                title={`${f.name}: ${number(f.ev, 2, true)} EV found, ${number(f.nominal_ev, 2, true)} EV told; turned ${number(f.turn ?? 0, 2, true)}°, placed to ${(f.align_error ?? 0).toFixed(2)} px; ${percent(f.clipped_share)} clipped`}
              >
                <td>
                  {view === "source" && report.mode === "bracket" && (
                    <span
                      className="swatch"
                      style={{ background: `hsl(0 0% ${Math.round((tones[f.name] ?? 0) * 78)}%)` }}
                    />
                  )}
                  {shutter(f.seconds)}
                  {f.name === reference && <span className="dim"> ref.</span>}
                </td>
                <td>{moved ? (f.shift ? `${f.shift.toFixed(1)} px` : "–") : percent(f.clipped_share)}</td>
                <td>{stack ? (f.align_error ? `${f.align_error.toFixed(2)} px` : "–") : percent(f.feeds)}</td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
      {report.mode === "bracket" && (
        <button className="link" aria-pressed={view === "source"} onClick={() => setView("source")}>
          {view === "source" ? "Show the picture" : "Show which frame feeds each place"}
        </button>
      )}
    </>
  );
}
