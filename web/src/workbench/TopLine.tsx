import { Button, IconButton, Tooltip } from "@mui/material";
import { useColorScheme } from "@mui/material/styles";
import { Link } from "react-router-dom";

import { useSteps } from "../api/queries";
import { useHeld } from "../panel/useHeld";
import { redo, undo, useScene } from "../state/scene";
import { useView } from "../state/view";
import type { StationName } from "../names";
import { STATIONS } from "./stations";

interface Props {
  station: StationName;
  onKeys: () => void;
}

/** Stations that have lists of the treatment beside steps, or in their place. */
const LISTS: Partial<Record<string, readonly string[]>> = { areas: ["areas"], mend: ["mend"] };
const WORDS = { stored: "stored", storing: "storing", waiting: "not stored yet" } as const;

/** The top line: the scene, the route of stations, and acts on the whole treatment. */
export function TopLine({ station, onKeys }: Props) {
  const scene = useScene((s) => s.scene);
  const canUndo = useScene((s) => s.canUndo);
  const canRedo = useScene((s) => s.canRedo);
  const storing = useScene((s) => s.storing);
  const steps = useSteps().data ?? [];
  const touched = useScene((s) =>
    STATIONS.map((t) => (s.scene && s.treatment && t.touched(s.scene, s.treatment, steps) ? "1" : "0")).join(""),
  );
  const { mode, setMode } = useColorScheme();
  const ground = mode === "light" ? "light" : "dark";
  const comparing = useView((s) => s.glance === "untreated");
  const compare = (on: boolean) => useView.setState({ glance: on ? "untreated" : null });
  return (
    <header className="top">
      <Link to="/" className="brand" title="To the contact sheet">
        CRENN
      </Link>
      <div className="title">
        <h1>{scene?.title}</h1>
        <span className="dim" role="status" data-storing={storing}>
          {WORDS[storing]}
        </span>
      </div>
      <nav aria-label="Stations">
        <ol className="route">
          {STATIONS.map((s, i) => (
            <li key={s.name}>
              <RouteLink
                title={s.title}
                to={`/scenes/${scene?.id ?? ""}/${s.name}`}
                here={s.name === station}
                touched={touched[i] === "1"}
                steps={[
                  ...(LISTS[s.name] ?? []),
                  ...steps.filter((step) => step.station === s.name).map((step) => step.name),
                ]}
              />
            </li>
          ))}
        </ol>
      </nav>
      <div className="actions">
        <Tooltip title="Take back (Ctrl Z)">
          <span>
            <Button variant="outlined" color="inherit" disabled={!canUndo} onClick={() => void undo()}>
              Undo
            </Button>
          </span>
        </Tooltip>
        <Tooltip title="Make again (Ctrl Shift Z)">
          <span>
            <Button variant="outlined" color="inherit" disabled={!canRedo} onClick={() => void redo()}>
              Redo
            </Button>
          </span>
        </Tooltip>
        <Tooltip describeChild title="Hold to see the untreated start (key B)">
          <Button
            variant="outlined"
            color={comparing ? "primary" : "inherit"}

            onPointerDown={() => compare(true)}
            onPointerUp={() => compare(false)}
            onPointerLeave={() => compare(false)}
          >
            Before
          </Button>
        </Tooltip>
        <Tooltip title={ground === "dark" ? "Light ground, for prints" : "Dark ground"}>
          <IconButton
            size="small"
            onClick={() => setMode(ground === "dark" ? "light" : "dark")}
            aria-label={ground === "dark" ? "Light ground" : "Dark ground"}
          >
            <svg width="15" height="15" viewBox="0 0 15 15" aria-hidden>
              <rect x="1" y="1" width="13" height="13" fill="none" stroke="currentColor" />
              <path d="M1 14 L14 1 V14 Z" fill="currentColor" />
            </svg>
          </IconButton>
        </Tooltip>
        <Tooltip title="Keys (?)">
          <IconButton size="small" onClick={onKeys} aria-label="Keys">
            ?
          </IconButton>
        </Tooltip>
      </div>
    </header>
  );
}

interface RouteLinkProps {
  title: string;
  to: string;
  here: boolean;
  touched: boolean;
  steps: readonly string[];
}

/** A station on the route: a click goes there, holding it shows the picture without what is done there. */
function RouteLink({ title, to, here, touched, steps }: RouteLinkProps) {
  const hold = useHeld(steps);
  return (
    <Link
      to={to}
      aria-current={here ? "page" : undefined}
      className={touched ? "touched" : ""}
      title={steps.length ? "Hold to see the picture without what is done here" : undefined}
      {...hold}
    >
      {title}
    </Link>
  );
}
