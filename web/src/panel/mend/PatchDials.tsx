import { Button, ToggleButton, ToggleButtonGroup } from "@mui/material";

import type { MendLayer, Patch, SolvedPatch } from "../../api/client";
import { useKinds } from "../../api/queries";
import { again, fromFrame, setPatch } from "../../state/mend";
import { store, useScene } from "../../state/scene";
import { Dial } from "../Dial";
import { ToolButton } from "../ToolButton";

/** The mend that is worked on: how it is put in, and where it is looked for. */
export function PatchDials({ layer, patch, solved }: { layer: MendLayer; patch: Patch; solved?: SolvedPatch }) {
  const dials = useKinds().data?.patch ?? [];
  const frames = useScene((s) => s.scene?.report?.frames) ?? [];
  const change = (own: Partial<Patch>, says: string) => {
    setPatch(layer.id, patch.id, own);
    store(says);
  };
  const shown = frames.find((frame) => frame.key !== "" && frame.key === solved?.frame);
  const origin = patch.other ? null : (patch.origin ?? solved?.origin ?? null);
  return (
    <section aria-label="The mend">
      <ToggleButtonGroup
        size="small"
        exclusive
        value={patch.fit}
        aria-label="How it is put in"
        onChange={(_, fit: Patch["fit"] | null) => fit && change({ fit }, fit === "blend" ? "Fitted" : "As it is")}
      >
        <ToggleButton value="blend" title="Its light and colour are fitted to the place">
          Fitted
        </ToggleButton>
        <ToggleButton value="copy" title="Its light and colour stay as they are">
          As it is
        </ToggleButton>
      </ToggleButtonGroup>
      {dials.map((dial) => (
        <Dial key={`${patch.id} ${dial.name}`} dial={dial} path={["mend", layer.id, "patches", patch.id, dial.name]} />
      ))}
      <div className="buttons">
        <Button
          size="small"
          variant="outlined"
          color="inherit"
          title="N: the next best place, or another way"
          onClick={again}
        >
          Another try
        </Button>
        {frames.length > 1 && (
          <Button
            size="small"
            variant="outlined"
            color={patch.other ? "primary" : "inherit"}
            aria-pressed={!!patch.other}
            title="Shift N: what another frame saw behind a thing that moved"
            onClick={fromFrame}
          >
            From another frame
          </Button>
        )}
        <ToolButton
          tool="mendWithin"
          says={patch.within ? "Look elsewhere" : "Look only here"}
          inHand="Drag a box"
          title="What it is filled with is looked for in a box alone"
        />
        {patch.within && (
          <Button size="small" color="inherit" onClick={() => change({ within: null }, "Looked for anywhere")}>
            anywhere
          </Button>
        )}
        {origin && (
          <Button
            size="small"
            variant="outlined"
            color={origin.mirror ? "primary" : "inherit"}
            aria-pressed={origin.mirror}
            onClick={() => change({ origin: { ...origin, mirror: !origin.mirror } }, "Mirrored")}
          >
            Mirror
          </Button>
        )}
        {patch.origin && (
          <Button
            size="small"
            color="inherit"
            title="The place is found again by itself"
            onClick={() => change({ origin: null, attempt: 0 }, "Found again")}
          >
            find it
          </Button>
        )}
      </div>
      {patch.other && (
        <p className="dim" role="status">
          {shown
            ? `${shown.name} saw it.`
            : "No frame saw anything else here, or its file is gone: bring the frames in again, or look for a place."}
        </p>
      )}
      {!patch.other && origin === null && solved?.mended && <p className="dim">Completed from many places.</p>}
    </section>
  );
}
