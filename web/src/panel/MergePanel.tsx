import { Button } from "@mui/material";

import { answered, api } from "../api/client";
import { isActive, useNews } from "../api/news";
import { told } from "../state/messages";
import { useScene } from "../state/scene";
import { setView, useView } from "../state/view";
import { number, percent, shutter } from "../units";
import { JobProgress } from "./JobProgress";

/** The Merge station: what the frames gave, in figures. */
export function MergePanel() {
  const scene = useScene((s) => s.scene)!;
  const view = useView((s) => s.view);
  const jobs = useNews((s) => s.jobs);
  const merging = Object.values(jobs).find((j) => j.kind === "merge" && j.scene_id === scene.id && isActive(j));
  const report = scene.report;
  const [red, green, blue] = report?.clipped_share ?? [0, 0, 0];
  return (
    <>
      <h2>Merge</h2>
      <p className="lead">One radiance map, each place from the frames that measured it best.</p>
      {merging ? (
        <JobProgress job={merging} />
      ) : (
        <Button
          variant={report ? "outlined" : "contained"}
          color={report ? "inherit" : "primary"}
          sx={{ borderColor: "divider" }}
          onClick={() => void told(answered(api.POST("/api/scenes/{scene_id}/merge", { params: { path: { scene_id: scene.id } } })))}
        >
          {report ? "Merge again" : "Merge"}
        </Button>
      )}
      {scene.fault && !merging && <p className="fault" style={{ marginTop: 10 }}>{scene.fault}</p>}
      {report && (
        <>
          <div className="group">Coverage</div>
          <dl className="facts">
            <dt>Light in the scene</dt>
            <dd>
              {number(report.low_stop, 1, true)} to {number(report.high_stop, 1, true)} EV
            </dd>
            <dt>Noise horizon, per pixel</dt>
            <dd>{number(report.noise_horizon, 1, true)} EV</dd>
            <dt>Clipped in every frame</dt>
            <dd>{red + green + blue === 0 ? "nothing" : percent(Math.max(red, green, blue))}</dd>
            {red + green + blue > 0 && (
              <>
                <dt>Red, green, blue</dt>
                <dd>
                  {percent(red)}, {percent(green)}, {percent(blue)}
                </dd>
              </>
            )}
          </dl>
          <div className="group">Frames</div>
          <table className="plain">
            <thead>
              <tr>
                <th>Exposure</th>
                <th>Found</th>
                <th>Clipped</th>
                <th>Feeds</th>
              </tr>
            </thead>
            <tbody>
              {[...report.frames]
                .sort((a, b) => a.ev - b.ev)
                .map((f) => (
                  <tr key={f.name} title={`${f.name}: the file tells ${number(f.nominal_ev, 2, true)} EV`}>
                    <td>{shutter(f.seconds)}</td>
                    <td>{f.ev === 0 ? "reference" : `${number(f.ev, 2, true)} EV`}</td>
                    <td>{percent(f.clipped_share)}</td>
                    <td>{percent(f.feeds)}</td>
                  </tr>
                ))}
            </tbody>
          </table>
          <Button variant="outlined" color={view === "source" ? "primary" : "inherit"} sx={{ borderColor: "divider", mt: 1.5 }} onClick={() => setView("source")}>
            {view === "source" ? "Show the picture" : "Show which frame feeds each place"}
          </Button>
          {report.set_aside.length + report.warnings.length > 0 && (
            <>
              <div className="group">Notes</div>
              <ul className="notes">
                {[...report.set_aside, ...report.warnings].map((t) => (
                  <li key={t}>{t}</li>
                ))}
              </ul>
            </>
          )}
          <p className="dim" style={{ marginTop: 12 }}>
            {report.width} × {report.height} px, merged in {report.seconds.toFixed(1)} s.
          </p>
        </>
      )}
    </>
  );
}
