import { Button } from "@mui/material";
import { useEffect } from "react";
import { Link, useNavigate, useParams } from "react-router-dom";

import { isActive, useNews } from "../api/news";
import { useSeries, useShoot } from "../api/queries";
import { ChoiceRow, SwitchRow } from "../panel/deliver/rows";
import { JobProgress } from "../panel/JobProgress";
import { flickerOf, goTo, setKey, takeBack, treatSeries, usePlaying } from "../state/series";
import { lasting } from "../units";
import { FilmFields } from "./FilmFields";
import { LightCurve } from "./LightCurve";
import { Strip } from "./Strip";
import { pictureOf, usePlay } from "./usePlay";

/** A night as a series: its pictures, its light over time, its keys, and films of it. */
export default function SeriesPage() {
  const shoot = Number(useParams().shootId);
  const name = useShoot(shoot).data?.name ?? "";
  const found = useSeries(shoot);
  const { which, place, runs } = usePlaying();
  const series = found.data?.[Math.min(which, found.data.length - 1)];
  const jobs = useNews((s) => s.jobs);
  const navigate = useNavigate();
  usePlay(series);
  const working = Object.values(jobs).find((j) => j.kind === "series" && j.shoot_id === shoot && isActive(j));
  const members = series?.members ?? [];
  const here = members[Math.min(place, members.length - 1)];
  const waiting = members.filter((m) => !m.ready).length;
  const ready = members.length > 0 && waiting === 0;

  useEffect(() => usePlaying.setState({ which: 0, place: 0, runs: false }), [shoot]);
  // The curve is what keys are chosen by: it is looked at once all scenes are there.
  const unseen = ready && series?.light === null && !working;
  useEffect(() => {
    if (unseen && series) void treatSeries(shoot, series, false);
    // Asked once for these scenes, and not again while the answer is on its way.
  }, [unseen, shoot, series]);
  useEffect(() => {
    const press = (e: KeyboardEvent) => {
      if (
        !here ||
        e.ctrlKey ||
        e.metaKey ||
        e.altKey ||
        (e.target as Element).closest("input, [role=combobox], [role=listbox]")
      )
        return;
      const by = { ArrowLeft: -1, ArrowRight: 1, PageUp: -10, PageDown: 10 }[e.key];
      // Enter opens what was gone to then, and does not press the button that was pressed before.
      if (by !== undefined || e.key === "Home" || e.key === "End")
        document.querySelector<SVGElement>(".light-curve svg")?.focus();
      if (by !== undefined) goTo(place + by, members.length);
      else if (e.key === "Home" || e.key === "End") goTo(e.key === "Home" ? 0 : members.length - 1, members.length);
      else if (e.key === " " && !(e.target as Element).closest("button, a")) usePlaying.setState({ runs: !runs });
      else if (e.key === "k") void setKey(shoot, here.id, !here.key);
      else if (e.key === "Enter" && !(e.target as Element).closest("button, a"))
        void navigate(`/scenes/${here.id}/light`);
      else return;
      e.preventDefault();
    };
    addEventListener("keydown", press);
    return () => removeEventListener("keydown", press);
  });

  const flicker = series ? flickerOf(series) : null;
  const treated = series?.light?.treated ?? 0;
  const keys = members.filter((m) => m.key).length;
  const source = here ? pictureOf(here) : null;
  return (
    <div className="series">
      <header className="top">
        <Link to="/" className="brand">
          CRENN
        </Link>
        <div className="title">
          <h1>{name}</h1>
          <span className="dim">as a series</span>
        </div>
        <div className="actions">
          <Button
            variant="outlined"
            color="inherit"
            disabled={!series}
            onClick={() => usePlaying.setState({ runs: !runs })}
          >
            {runs ? "Stop" : "Play"}
          </Button>
          <Button
            variant="contained"
            disabled={!ready || working !== undefined}
            title="Every scene is treated: dials and areas run from key to key, automatic values follow the light, flicker is taken out"
            onClick={() => series && void treatSeries(shoot, series, true)}
          >
            Treat along the keys
          </Button>
        </div>
      </header>
      <main>
        {found.data?.length === 0 && (
          <p className="dim">
            No series here: eight scenes or more of one camera and view, taken at even intervals, are one.
          </p>
        )}
        {source && <img src={source} alt={here.title} data-testid="shown" data-place={place} />}
        {here && !source && <p className="dim">Not merged yet</p>}
      </main>
      {series && here && (
        <>
          <aside className="panel">
            <section aria-label="Series">
              {found.data!.length > 1 && (
                <ChoiceRow
                  label="Series"
                  value={which}
                  choices={found.data!.map((s, i): [number, string] => [i, `${i + 1}: ${s.members.length} scenes`])}
                  set={(next) => usePlaying.setState({ which: next, place: 0 })}
                />
              )}
              <p>
                {members.length} scenes, one every {lasting(series.interval)}
              </p>
              {series.missing.map(({ after, count }) => (
                <p key={after} className="dim">
                  {count === 1 ? "One scene is" : `${count} scenes are`} missing after {members[after].title}.
                </p>
              ))}
              {series.set_back.map((after) => (
                <p key={after} className="dim">
                  The clock was set back after {members[after].title}: scenes go on in the order of their names.
                </p>
              ))}
              {waiting > 0 && <p className="dim">{waiting} of them have not been merged yet.</p>}
              {flicker !== null && (
                <p className="dim" data-testid="flicker">
                  Exposures flicker by {flicker.toFixed(3)} EV
                  {treated > 0 ? ", which is taken out." : "."}
                </p>
              )}
              {treated > 0 && !working && (
                <button className="quiet" onClick={() => void takeBack(shoot, series)}>
                  take the series' treatment back
                </button>
              )}
              {working && <JobProgress job={working} />}
            </section>
            <section aria-label="Scene">
              <h3>
                Scene {place + 1} of {members.length}
              </h3>
              <p>{here.title}</p>
              {here.taken && <p className="dim">{here.taken.replace("T", " ").slice(0, 19)}</p>}
              <SwitchRow
                label="Key"
                title="The series goes by its treatment here (K)"
                on={here.key}
                set={(key) => void setKey(shoot, here.id, key)}
              />
              <p className="dim">
                {keys === 0
                  ? "Without a key, all values are automatic."
                  : `${keys} ${keys === 1 ? "key" : "keys"} in all.`}
              </p>
              <Link className="active" to={`/scenes/${here.id}/light`}>
                Treat this scene
              </Link>
            </section>
            <FilmFields shoot={shoot} series={series} />
          </aside>
          <footer>
            <LightCurve series={series} />
            <Strip series={series} />
          </footer>
        </>
      )}
    </div>
  );
}
