import { Button } from "@mui/material";

import { api } from "../../api/client";
import { tell } from "../../state/messages";

/** Says that noise has not been split off, and why if it was tried, and lets it be. */
export function SplitAgain({ scene, fault }: { scene: number; fault: string | null }) {
  const split = async () => {
    const { error } = await api.POST("/api/scenes/{scene_id}/noise", { params: { path: { scene_id: scene } } });
    if (error) tell("Noise cannot be split off just now. Try again.");
  };
  return (
    <div className="stack">
      <p className="dim">
        The noise of this scene has not been split off yet: only what is looked at closely is cleaned.
      </p>
      {fault && <p className="fault">{fault}</p>}
      <div>
        <Button size="small" variant="outlined" color="inherit" onClick={() => void split()}>
          Split it off
        </Button>
      </div>
    </div>
  );
}
