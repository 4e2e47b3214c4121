import { ListSubheader, Menu, MenuItem } from "@mui/material";
import { type ReactNode, useState } from "react";

import { useSteps } from "../api/queries";
import { changed } from "../state/changes";
import { compareFrame, compareState, compareWithout, useCompare } from "../state/compare";
import { useHistory } from "../state/history";
import { useScene } from "../state/scene";
import { shutter } from "../units";
import { STATIONS } from "../workbench/stations";

/** Files of a camera that makes pictures of its own beside them. */
const DEVELOPED = /\.(tiff?|png|jpe?g|exr)$/i;

/** What the picture can be compared with: how it was, itself without a station, one frame, what the camera made of it. */
export function CompareMenu({ className, children }: { className?: string; children: ReactNode }) {
  const [at, setAt] = useState<HTMLElement | null>(null);
  return (
    <>
      <button className={className} aria-haspopup="menu" onClick={(e) => setAt(e.currentTarget)}>
        {children}
      </button>
      <Menu
        anchorEl={at}
        open={at !== null}
        onClose={() => setAt(null)}
        anchorOrigin={{ vertical: "top", horizontal: "left" }}
        transformOrigin={{ vertical: "bottom", horizontal: "left" }}
        slotProps={{ paper: { className: "compare-menu" }, list: { dense: true } }}
      >
        {at && <Choices done={() => setAt(null)} />}
      </Menu>
    </>
  );
}

function Choices({ done }: { done: () => void }) {
  const history = useHistory().data;
  const steps = useSteps().data ?? [];
  const scene = useScene((s) => s.scene);
  const treatment = useScene((s) => s.treatment);
  const others = useCompare((s) => s.others);
  if (!scene || !treatment) return null;
  const item = (key: string, title: string, choose: () => unknown) => (
    <MenuItem
      key={key}
      selected={others.some((o) => o.key === key)}
      onClick={() => {
        done();
        void choose();
      }}
    >
      {title}
    </MenuItem>
  );
  const state = (revision: number, title: string) =>
    item(`state-${revision}`, title, () => compareState(revision, title));
  const start = history?.entries[0];
  const stations = STATIONS.map((s) => ({ ...s, own: steps.filter((step) => step.station === s.name) }));
  const inUse = stations.filter((s) => s.own.some((step) => changed(step, treatment) > 0));
  // Of developed pictures the light of one alone is not known, and they are what a camera made already.
  const raw = scene.frames.filter((f) => f.included && f.kind === "light" && !DEVELOPED.test(f.name));
  return (
    <>
      {start && state(start.revision, "the start")}
      {history?.marks.map((mark) => state(mark.revision, mark.name))}
      {history?.takes.filter((take) => !take.here).map((take) => state(take.revision, take.name))}
      {inUse.length > 0 && <ListSubheader>Without</ListSubheader>}
      {inUse.map((s) =>
        item(`without-${s.name}`, s.title, () =>
          compareWithout(
            s.name,
            s.title,
            s.own.map((step) => step.name),
          ),
        ),
      )}
      {raw.length > 0 && <ListSubheader>One frame, treated as the scene is</ListSubheader>}
      {raw.map((f) => item(`frame-${f.id}`, `${f.name}, ${shutter(f.seconds)}`, () => compareFrame(f, false, steps)))}
      {raw.length > 0 && <ListSubheader>As the camera made it</ListSubheader>}
      {raw.map((f) => item(`camera-${f.id}`, `${f.name}, ${shutter(f.seconds)}`, () => compareFrame(f, true, steps)))}
    </>
  );
}
