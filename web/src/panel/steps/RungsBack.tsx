import { Button } from "@mui/material";

import { preview, store, useScene } from "../../state/scene";

/** Takes the rungs off that were moved by hand. */
export function RungsBack() {
  const rungs = useScene((s) => s.treatment?.placement.rungs.length ?? 0);
  if (rungs === 0) return null;
  const back = () => {
    preview((t) => ({ ...t, placement: { ...t.placement, rungs: [] } }));
    store("All rungs back");
  };
  return (
    <Button size="small" variant="outlined" color="inherit" className="below" onClick={back}>
      Put {rungs} {rungs === 1 ? "rung" : "rungs"} back
    </Button>
  );
}
