import { Button, MenuItem, TextField } from "@mui/material";
import { useState } from "react";

import { useFound, useShoot } from "../api/queries";
import { carryOver, evenOut, lookOf, useEven } from "../state/carrying";
import { NOTHING_SOUGHT } from "../state/library";
import { useScene } from "../state/scene";
import { Choose, ChooseSteps, useChosenSteps } from "./ChooseSteps";

const AREAS = { found: "Those that are found anew", all: "All, hand-made ones where they lie", none: "None" } as const;
type Areas = keyof typeof AREAS;
const LIGHT = { follow: "Each scene's own", tied: "As in this scene" } as const;
type Light = keyof typeof LIGHT;

/** What was done here carried over to other scenes of the shoot, and this scene brought to another's look. */
export function CarryPanel() {
  const id = useScene((s) => s.scene?.id);
  const storing = useScene((s) => s.storing);
  const shoot = useShoot(useScene((s) => s.scene?.shoot_id)).data;
  const newest = useFound(NOTHING_SOUGHT).data ?? [];
  const chosen = useChosenSteps();
  const even = useEven();
  const [byTone, setByTone] = useState(false);
  const [scenes, setScenes] = useState<ReadonlySet<number>>(new Set());
  const [areas, setAreas] = useState<Areas>("found");
  const [light, setLight] = useState<Light>("follow");
  const others = shoot?.scenes.filter((scene) => scene.id !== id && !scene.binned) ?? [];
  const ready = newest.flatMap((s) => s.scenes).filter((scene) => scene.ready && scene.id !== id);
  const turn = (scene: number) =>
    setScenes((before) => {
      const after = new Set(before);
      if (!after.delete(scene)) after.add(scene);
      return after;
    });
  const to = others.filter((scene) => scenes.has(scene.id)).map((scene) => scene.id);
  return (
    <>
      <div className="group">
        <h3>What goes over</h3>
      </div>
      {chosen.own.length === 0 && <p className="dim">No step was changed here yet.</p>}
      <ChooseSteps chosen={chosen} />
      <div className="stack fields below">
        <TextField select size="small" label="Areas" value={areas} onChange={(e) => setAreas(e.target.value as Areas)}>
          {Object.entries(AREAS).map(([value, title]) => (
            <MenuItem key={value} value={value}>
              {title}
            </MenuItem>
          ))}
        </TextField>
        <TextField
          select
          size="small"
          label="Automatic values"
          value={light}
          onChange={(e) => setLight(e.target.value as Light)}
        >
          {Object.entries(LIGHT).map(([value, title]) => (
            <MenuItem key={value} value={value}>
              {title}
            </MenuItem>
          ))}
        </TextField>
      </div>
      <div className="group">
        <h3>To</h3>
        {others.length > 1 && (
          <button
            className="quiet"
            onClick={() => setScenes(new Set(to.length === others.length ? [] : others.map((s) => s.id)))}
          >
            {to.length === others.length ? "none" : "all"}
          </button>
        )}
      </div>
      {others.length === 0 && <p className="dim">This shoot has no other scenes.</p>}
      {others.map((scene) => (
        <Choose key={scene.id} title={scene.title} checked={scenes.has(scene.id)} turn={() => turn(scene.id)} />
      ))}
      <div className="buttons">
        <Button
          size="small"
          variant="contained"
          className="below"
          disabled={to.length === 0 || storing !== "stored" || (chosen.steps.length === 0 && areas === "none")}
          onClick={() => void carryOver(to, chosen.steps, areas, light === "tied")}
        >
          Carry over
        </Button>
        <Button
          size="small"
          variant="outlined"
          color="inherit"
          className="below"
          title="Dials of each of these scenes bring it to the look of this one"
          disabled={to.length === 0 || storing !== "stored" || even !== null}
          onClick={() => void evenOut(to, byTone)}
        >
          {even ? `${even.done + 1} of ${even.of}…` : "Give this look"}
        </Button>
      </div>
      {ready.length > 0 && (
        <section aria-label="Look of another scene">
          <div className="group">
            <h3>Look of another scene</h3>
          </div>
          <p className="dim">
            {byTone
              ? "Exposure, contrast, white, saturation, tones of the curve and balance by tone bring this scene to it."
              : "Exposure, contrast, white and saturation bring this scene to it."}
          </p>
          <Choose title="By tone as well" checked={byTone} turn={() => setByTone(!byTone)} />
          <ul className="presets">
            {ready.map((scene) => (
              <li key={scene.id}>
                <button className="card" onClick={() => void lookOf(scene.id, scene.title, byTone)}>
                  <img src={`/api/scenes/${scene.id}/picture.jpg?v=${scene.picture_version}`} alt="" loading="lazy" />
                  <span>{scene.title}</span>
                </button>
              </li>
            ))}
          </ul>
        </section>
      )}
    </>
  );
}
