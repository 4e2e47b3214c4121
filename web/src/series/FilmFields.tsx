import { Button } from "@mui/material";

import type { Film, Job, Series } from "../api/client";
import { isActive, useNews } from "../api/news";
import { useFilms } from "../api/queries";
import { FileLine } from "../panel/deliver/FileLine";
import { ChoiceRow, NumberRow } from "../panel/deliver/rows";
import { JobProgress } from "../panel/JobProgress";
import { changeFilm, makeFilm, usePlaying } from "../state/series";
import { bytes, lasting } from "../units";

const CODECS: Record<Film["codec"], string> = { h264: "H.264", av1: "AV1, 10 bits", vc3: "VC-3, 10 bits" };

/** What a film of the series is to be like, and the films that there are. */
export function FilmFields({ shoot, series }: { shoot: number; series: Series }) {
  const film = usePlaying((s) => s.film);
  const jobs = useNews((s) => s.jobs);
  const films = (useFilms(shoot).data ?? []).map((job) => jobs[job.id] ?? job);
  const ready = series.members.every((m) => m.ready);
  return (
    <section aria-label="Film">
      <h3>Film</h3>
      <ChoiceRow label="Kind" value={film.codec} choices={CODECS} set={(codec) => changeFilm({ codec })} />
      <NumberRow
        label="Pictures a second"
        value={film.rate}
        low={1}
        high={120}
        set={(rate) => changeFilm({ rate: rate ?? film.rate })}
      />
      <NumberRow
        label="Long edge"
        unit="px"
        value={film.pixels}
        low={64}
        high={8192}
        whole
        set={(pixels) => changeFilm({ pixels: pixels ?? film.pixels })}
      />
      {film.codec !== "vc3" && (
        <NumberRow
          label="Quality, 1–100"
          value={film.quality}
          low={1}
          high={100}
          whole
          set={(quality) => changeFilm({ quality: quality ?? film.quality })}
        />
      )}
      <p className="dim">{lasting(series.members.length / film.rate)} long</p>
      <Button variant="outlined" color="inherit" disabled={!ready} onClick={() => void makeFilm(shoot, series)}>
        Make the film
      </Button>
      {films.map((job) => (
        <Made key={job.id} job={job} />
      ))}
    </section>
  );
}

function Made({ job }: { job: Job }) {
  if (isActive(job)) return <JobProgress job={job} />;
  if (job.state === "failed") return <p className="fault">{job.fault}</p>;
  const made = job.result as { name: string; bytes: number; pictures: number } | null;
  if (job.state !== "done" || !made) return null;
  const facts = [CODECS[(job.options.film as Film).codec], `${made.pictures} pictures`, bytes(made.bytes)];
  return <FileLine job={job.id} name={made.name} facts={facts.join(", ")} />;
}
