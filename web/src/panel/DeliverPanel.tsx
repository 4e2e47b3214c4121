import { Button, MenuItem, TextField } from "@mui/material";
import { useState } from "react";

import { isActive, useNews } from "../api/news";
import { useShoot } from "../api/queries";
import { useHistory } from "../state/history";
import { addOutput, deliver, deliverMany, dropOutput, useOutputs } from "../state/delivering";
import { useScene } from "../state/scene";
import { Delivered } from "./deliver/Delivered";
import { OutputFields } from "./deliver/OutputFields";
import { OutputSets } from "./deliver/OutputSets";
import { ProofFields } from "./deliver/ProofFields";
import { inWords } from "./deliver/words";
import { JobProgress } from "./JobProgress";

/** The Deliver station: finished files to download, one or several at once, of this scene or of all of its shoot. */
export default function DeliverPanel() {
  const scene = useScene((s) => s.scene)!;
  const storing = useScene((s) => s.storing);
  const jobs = useNews((s) => s.jobs);
  const { list, open } = useOutputs();
  const takes = useHistory().data?.takes ?? [];
  const [take, setTake] = useState<number | null>(null);
  const chosen = takes.find((t) => t.id === take) ?? takes.find((t) => t.here);
  const shoot = useShoot(scene.shoot_id).data;
  const ready = shoot?.scenes.filter((one) => one.ready && !one.binned).map((one) => one.id) ?? [];
  const running = Object.values(jobs).filter((j) => j.kind === "deliver" && isActive(j));
  const own = running.filter((j) => j.scene_id === scene.id);
  const others = running.length - own.length;
  const cannot = !scene.ready || storing !== "stored";
  return (
    <>
      <h2>Deliver</h2>
      <div className="stack fields spaced">
        <OutputSets />
      </div>
      <ul className="outputs" aria-label="Outputs">
        {list.map((output, i) => (
          <li key={i} aria-current={i === open ? "true" : undefined}>
            <button className="rest" aria-expanded={i === open} onClick={() => useOutputs.setState({ open: i })}>
              {inWords(output)}
            </button>
            {list.length > 1 && (
              <button className="quiet" aria-label={`Leave out ${inWords(output)}`} onClick={() => dropOutput(i)}>
                leave out
              </button>
            )}
          </li>
        ))}
      </ul>
      {list.length < 20 && (
        <button className="quiet" onClick={addOutput}>
          another file
        </button>
      )}
      {list[open] && <OutputFields output={list[open]} />}
      <ProofFields />
      <div className="stack fields spaced">
        {takes.length > 1 && (
          <TextField
            select
            size="small"
            label="Take"
            value={chosen?.id ?? ""}
            onChange={(e) => setTake(Number(e.target.value))}
          >
            {takes.map((t) => (
              <MenuItem key={t.id} value={t.id}>
                {t.name}
              </MenuItem>
            ))}
          </TextField>
        )}
        <div className="buttons">
          <Button variant="contained" disabled={cannot} onClick={() => void deliver(scene.id, chosen?.id ?? null)}>
            Deliver
          </Button>
          {ready.length > 1 && (
            <Button
              variant="outlined"
              color="inherit"
              disabled={cannot}
              title="Each scene of the shoot that has been merged, by the take that is worked on"
              onClick={() => void deliverMany(ready)}
            >
              All {ready.length} scenes
            </Button>
          )}
        </div>
        {own.map((job) => (
          <JobProgress key={job.id} job={job} />
        ))}
        {others > 0 && (
          <p className="dim">{others === 1 ? "One file" : `${others} files`} of other scenes wait or are made.</p>
        )}
      </div>
      <Delivered scene={scene.id} />
    </>
  );
}
