import { Button, IconButton, Tooltip } from "@mui/material";
import { useColorScheme } from "@mui/material/styles";
import { Link } from "react-router-dom";

import { useSteps } from "../api/queries";
import { useHeld } from "../panel/useHeld";
import { toggleAside, useAside } from "../state/aside";
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
  const aside = useAside((s) => s.open);
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
            <IconButton size="small" aria-label="Undo" disabled={!canUndo} onClick={() => void undo()}>
              <Turn />
            </IconButton>
          </span>
        </Tooltip>
        <Tooltip title="Make again (Ctrl Shift Z)">
          <span>
            <IconButton size="small" aria-label="Redo" disabled={!canRedo} onClick={() => void redo()}>
              <Turn again />
            </IconButton>
          </span>
        </Tooltip>
        <Tooltip describeChild title="What was done, marks and takes (Shift H)">
          <Button
            variant="outlined"
            color={aside === "history" ? "primary" : "inherit"}
            aria-pressed={aside === "history"}
            onClick={() => toggleAside("history")}
          >
            History
          </Button>
        </Tooltip>
        <Tooltip describeChild title="Presets to put on (Shift E)">
          <Button
            variant="outlined"
            color={aside === "presets" ? "primary" : "inherit"}
            aria-pressed={aside === "presets"}
            onClick={() => toggleAside("presets")}
          >
            Presets
          </Button>
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

/** An arrow that turns back, or forward again. */
function Turn({ again = false }: { again?: boolean }) {
  return (
    <svg width="16" height="16" viewBox="0 0 16 16" aria-hidden transform={again ? "scale(-1 1)" : undefined}>
      <path d="M6 3 L2.5 6.5 L6 10 M2.5 6.5 H10 A3.5 3.5 0 0 1 10 13.5 H7" fill="none" stroke="currentColor" />
    </svg>
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
