import { Button, IconButton, Tooltip } from "@mui/material";
import { Link } from "react-router-dom";

import { redo, undo, useScene } from "../state/scene";
import { usePreferences } from "../state/preferences";
import { useView } from "../state/view";
import { type StationName, STATIONS } from "./stations";

interface Props {
  station: StationName;
  onKeys: () => void;
}

const WORDS = { stored: "stored", storing: "storing", waiting: "not stored yet" } as const;

/** The top line: the scene, the route of stations, and acts on the whole treatment. */
export function TopLine({ station, onKeys }: Props) {
  const { scene, canUndo, canRedo, storing, treatment } = useScene();
  const { ground, setGround } = usePreferences();
  const comparing = useView((s) => s.comparing);
  const compare = (on: boolean) => useView.setState({ comparing: on });
  return (
    <header className="top">
      <Link to="/" className="brand" title="To the contact sheet">
        CRENN
      </Link>
      <div className="title">
        <strong>{scene?.title}</strong>
        <span className="dim" role="status" data-storing={storing}>
          {WORDS[storing]}
        </span>
      </div>
      <nav aria-label="Stations" style={{ margin: "0 auto" }}>
        <ol className="route">
          {STATIONS.map((s) => (
            <li key={s.name}>
              <Link
                to={`/scenes/${scene?.id ?? ""}/${s.name}`}
                aria-current={s.name === station ? "page" : undefined}
                className={scene && treatment && s.touched(scene, treatment) ? "touched" : ""}
              >
                {s.title}
              </Link>
            </li>
          ))}
        </ol>
      </nav>
      <div className="actions" style={{ marginLeft: 0 }}>
        <Tooltip title="Take back (Ctrl Z)">
          <span>
            <Button variant="outlined" color="inherit" sx={{ borderColor: "divider" }} disabled={!canUndo} onClick={() => void undo()}>
              Undo
            </Button>
          </span>
        </Tooltip>
        <Tooltip title="Make again (Ctrl Shift Z)">
          <span>
            <Button variant="outlined" color="inherit" sx={{ borderColor: "divider" }} disabled={!canRedo} onClick={() => void redo()}>
              Redo
            </Button>
          </span>
        </Tooltip>
        <Tooltip title="Hold to see the untreated start (key B)">
          <Button
            variant="outlined"
            color={comparing ? "primary" : "inherit"}
            sx={{ borderColor: "divider" }}
            onPointerDown={() => compare(true)}
            onPointerUp={() => compare(false)}
            onPointerLeave={() => compare(false)}
          >
            Before
          </Button>
        </Tooltip>
        <Tooltip title={ground === "dark" ? "Light ground, for prints" : "Dark ground"}>
          <IconButton size="small" onClick={() => setGround(ground === "dark" ? "light" : "dark")} aria-label={ground === "dark" ? "Light ground" : "Dark ground"}>
            <svg width="15" height="15" viewBox="0 0 15 15" aria-hidden>
              <rect x="1" y="1" width="13" height="13" fill="none" stroke="currentColor" />
              <path d="M1 14 L14 1 V14 Z" fill="currentColor" />
            </svg>
          </IconButton>
        </Tooltip>
        <Tooltip title="Keys (?)">
          <IconButton size="small" onClick={onKeys} aria-label="Keys" sx={{ fontSize: 14, fontWeight: 600, width: 25 }}>
            ?
          </IconButton>
        </Tooltip>
      </div>
    </header>
  );
}
