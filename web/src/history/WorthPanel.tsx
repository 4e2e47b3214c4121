import { useQueries } from "@tanstack/react-query";
import { useState } from "react";

import { answered, api, type Contribution } from "../api/client";
import { useSteps } from "../api/queries";
import { changed } from "../state/changes";
import { useScene } from "../state/scene";
import { useView } from "../state/view";
import { number } from "../units";
import { STATIONS } from "../workbench/stations";

interface Row {
  title: string;
  steps: string[];
  station: boolean;
}

type Order = "route" | "harm";
/** So many rows are asked for at once. */
const AT_ONCE = 3;

/** Stations, and steps within them, that do something to the picture. */
function useRows(): Row[] {
  const treatment = useScene((s) => s.treatment);
  const idle = useScene((s) => s.scene?.automatic?.idle);
  const automatic = useScene((s) => s.scene?.automatic?.values);
  const all = useSteps().data ?? [];
  if (!treatment) return [];
  const acts = all.filter(
    (step) =>
      step.station !== "geometry" &&
      !idle?.includes(step.name) &&
      (treatment[step.name as "exposure"] as { on: boolean }).on &&
      (step.name === "noise" ||
        changed(step, treatment) > 0 ||
        Object.keys(automatic ?? {}).some((path) => path.startsWith(`${step.name}.`))),
  );
  return STATIONS.flatMap((station) => {
    const own = acts.filter((step) => step.station === station.name);
    if (own.length === 0) return [];
    const rows = own.map((step) => ({ title: step.title, steps: [step.name], station: false }));
    return own.length > 1
      ? [{ title: station.title, steps: own.map((s) => s.name), station: true }, ...rows]
      : [{ ...rows[0], title: `${station.title}: ${rows[0].title}` }];
  });
}

/** What each step in use does to the picture; pointed at, it is left out. */
export function WorthPanel() {
  const rows = useRows();
  const [order, setOrder] = useState<Order>("route");
  const id = useScene((s) => s.scene?.id);
  const treatment = useScene((s) => s.treatment);
  const prepared = useScene((s) => s.scene?.prepared);
  const revision = useScene((s) => s.revision);
  const held = useScene((s) => s.held);
  // A few at a time, so that the first stand there soon.
  const parts = Array.from({ length: Math.ceil(rows.length / AT_ONCE) }, (_, i) =>
    rows.slice(i * AT_ONCE, (i + 1) * AT_ONCE).map((r) => r.steps),
  );
  const told = useQueries({
    queries: parts.map((groups) => ({
      queryKey: ["contributions", id, prepared, revision, groups.map((g) => g.join(" ")).join("|")],
      enabled: !!prepared && !held,
      queryFn: () =>
        answered(
          api.POST("/api/scenes/{scene_id}/contributions", {
            params: { path: { scene_id: id! } },
            body: { document: treatment!, groups },
          }),
        ),
      gcTime: 30_000,
    })),
    combine: (results) => results.flatMap((r, i): (Contribution | null)[] => r.data ?? parts[i].map(() => null)),
  });
  const listed = rows
    .map((row, i) => ({ row, does: told[i] ?? null }))
    .filter(({ does }) => !does || does.delta_e >= 0.005 || Math.abs(does.noise - 1) > 0.02);
  const shown =
    order === "harm"
      ? [...listed.filter(({ row }) => !row.station)].sort((a, b) => (b.does?.harm ?? 0) - (a.does?.harm ?? 0))
      : listed;
  return (
    <>
      <p className="lead">What each step does to the picture. Point at one to see the picture without it.</p>
      <div className="segment" role="group" aria-label="Order of the steps">
        <button aria-pressed={order === "route"} onClick={() => setOrder("route")}>
          Along the route
        </button>
        <button aria-pressed={order === "harm"} onClick={() => setOrder("harm")}>
          Most harm first
        </button>
      </div>
      {told.includes(null) && <p className="dim">Looking at the picture without each…</p>}
      <table className="worth" aria-label="What steps do">
        <thead>
          <tr>
            <th />
            <th title="Mean change of all pixels, CIEDE2000">ΔE</th>
            <th title="By how much clipped white and black grow, in % of the picture">clip</th>
            <th title="Departure beside strong edges, in L*">halo</th>
            <th title="Grain of the shadows, times what it is without">grain</th>
            <th title="By how much colourfulness grows">colour</th>
          </tr>
        </thead>
        <tbody>
          {shown.map(({ row, does }) => (
            <tr
              key={row.steps.join(" ")}
              className={row.station ? "station" : undefined}
              onPointerEnter={() => useView.setState({ without: row.steps })}
              onPointerLeave={() => useView.setState({ without: null })}
            >
              <th>{row.title}</th>
              {does ? <Does does={does} /> : <td colSpan={5} />}
            </tr>
          ))}
        </tbody>
      </table>
    </>
  );
}

/** Values from which on they are marked: clipping in %, halo in L*, grain in times. */
const MUCH = { clip: 0.5, halo: 0.5, grain: 1.3 };

function Does({ does }: { does: Contribution }) {
  const clip = 100 * (does.white + does.black);
  return (
    <>
      <td>{number(does.delta_e, 1)}</td>
      <td className={clip > MUCH.clip ? "much" : undefined}>{Math.abs(clip) < 0.05 ? "0" : number(clip, 1, true)}</td>
      <td className={does.halo > MUCH.halo ? "much" : undefined}>{number(does.halo, 1)}</td>
      <td className={does.noise > MUCH.grain ? "much" : undefined}>×{number(does.noise, 1)}</td>
      <td>{number(does.colour, 1, true)}</td>
    </>
  );
}
