import { Checkbox, IconButton } from "@mui/material";

import type { MendLayer, Patch, SolvedPatch } from "../../api/client";
import { useKinds } from "../../api/queries";
import { choose, middleOf, removeLayer, removePatch, setPatch, spreadLayer, useMend } from "../../state/mend";
import { preview, store, useScene } from "../../state/scene";
import { withValue } from "../../state/values";
import { placesOf } from "../../picture/stroke";
import { Dial } from "../Dial";
import { NameInput } from "../NameInput";

/** A name has at most so many characters. */
const LONGEST = 60;
/** Longer side of a small picture, in pixels; what surrounds a mend is shown to so many times its size. */
const SIDE = 88;
const AROUND = 1.6;

/** All layers of mends; the mends of the one in use are listed, each by a small picture of what was there. */
export function MendLayers({ mend, solved, open }: { mend: MendLayer[]; solved: SolvedPatch[]; open: string | null }) {
  const opacity = useKinds().data?.layer.find((d) => d.name === "opacity");
  return (
    <>
      {mend.map((layer) => (
        <section key={layer.id} aria-label={layer.name} className="mend-layer">
          <div className="row">
            <Checkbox
              color="default"
              checked={layer.on}
              slotProps={{ input: { "aria-label": `Use ${layer.name}` } }}
              onChange={(e) => {
                preview((t) => withValue(t, ["mend", layer.id, "on"], e.target.checked));
                store(`${layer.name} ${e.target.checked ? "on" : "off"}`);
              }}
            />
            <NameInput
              key={`${layer.id} ${layer.name}`}
              label="Name of the layer"
              name={layer.name}
              longest={LONGEST}
              onName={(name) => {
                preview((t) => withValue(t, ["mend", layer.id, "name"], name));
                store("Name of a layer");
                return true;
              }}
            />
            <button
              className="quiet"
              aria-expanded={open === layer.id}
              aria-label={`${layer.patches.length} in ${layer.name}`}
              onClick={() => choose(layer.id, null)}
            >
              {layer.patches.length}
            </button>
            <IconButton
              size="small"
              aria-label={`${layer.name} away`}
              title="Take the layer away, with its mends"
              onClick={() => removeLayer(layer)}
            >
              ×
            </IconButton>
          </div>
          {open === layer.id && (
            <>
              {layer.patches.length > 0 && (
                <button
                  className="quiet"
                  title="What lies on the sensor lies there in all scenes of the same camera"
                  onClick={() => void spreadLayer(layer)}
                >
                  into the shoot’s other scenes
                </button>
              )}
              {opacity && <Dial key={layer.id} dial={opacity} path={["mend", layer.id, "opacity"]} />}
              <div className="mends" role="group" aria-label={`Mends of ${layer.name}`}>
                {layer.patches.map((patch, i) => (
                  <Row
                    key={patch.id}
                    layer={layer}
                    patch={patch}
                    number={i + 1}
                    failed={solved.some((one) => one.id === patch.id && !one.mended)}
                  />
                ))}
              </div>
            </>
          )}
        </section>
      ))}
    </>
  );
}

interface RowProps {
  layer: MendLayer;
  patch: Patch;
  number: number;
  failed: boolean;
}

function Row({ layer, patch, number, failed }: RowProps) {
  const chosen = useMend((s) => s.patch === patch.id);
  const scene = useScene((s) => s.scene?.id);
  const prepared = useScene((s) => s.scene?.prepared);
  return (
    <div className={`mend ${chosen ? "selected" : ""} ${patch.on && layer.on ? "" : "off"}`}>
      <Checkbox
        color="default"
        checked={patch.on}
        slotProps={{ input: { "aria-label": `Use mend ${number}` } }}
        onChange={(e) => {
          setPatch(layer.id, patch.id, { on: e.target.checked });
          store(`A mend ${e.target.checked ? "on" : "off"}`);
        }}
      />
      <button
        aria-pressed={chosen}
        aria-label={`Mend ${number} of the list`}
        onClick={() => choose(layer.id, patch.id)}
      >
        <img loading="lazy" alt="" src={`/api/scenes/${scene}/part.jpg?${queryOf(patch)}&v=${prepared}`} />
      </button>
      {failed && <span className="dim">nothing to copy from</span>}
      <IconButton size="small" aria-label={`Mend ${number} away`} onClick={() => removePatch(layer.id, patch.id)}>
        ×
      </IconButton>
    </div>
  );
}

/** What of the scene a mend's small picture shows, as the server is asked for it: in shares of width and height. */
function queryOf(patch: Patch): string {
  const view = useScene.getState().scene?.report;
  const [width, height] = [view?.width ?? 3, view?.height ?? 2];
  const unit = Math.max(width, height);
  const [x, y] = middleOf(patch);
  const wide = Math.max(2 * AROUND * patch.radius, extent(patch) * AROUND, 0.02);
  const share = (v: number, side: number) => Math.min(1, Math.max(0, (v * unit) / side));
  const [left, top] = [share(x - wide / 2, width), share(y - wide / 2, height)];
  const places = { x: left, y: top, width: share(wide, width), height: share(wide, height), side: SIDE };
  return new URLSearchParams(Object.entries(places).map(([k, v]) => [k, v.toFixed(k === "side" ? 0 : 5)])).toString();
}

/** How far the line of a patch reaches, with what it covers beyond. */
function extent(patch: Patch): number {
  const places = placesOf(patch);
  const across = ([0, 1] as const).map((axis) => {
    const along = places.map((p) => p[axis]);
    return Math.max(...along) - Math.min(...along);
  });
  return Math.max(...across) + 2 * patch.radius;
}
