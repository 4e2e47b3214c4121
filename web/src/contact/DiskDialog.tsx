import { Button, Dialog, DialogActions, DialogContent, DialogTitle } from "@mui/material";
import { useState } from "react";

import { answered, api } from "../api/client";
import { diskLimits, diskUse, queries, shootsChanged, useDisk, useDiskLimits } from "../api/queries";
import { tell, told } from "../state/messages";
import { bytes } from "../units";
import { MostInput } from "./MostInput";

/** Ages in days by which something is let go. */
const AGES: [number, string][] = [
  [0, "all"],
  [7, "older than a week"],
  [30, "older than a month"],
  [365, "older than a year"],
];
const PARTS = {
  originals: "Frames",
  scenes: "Merged scenes",
  noise: "Noise split off them",
  pictures: "Small pictures",
  deliveries: "Delivered files",
  incoming: "Arriving",
} as const;

/** Where the library's disk went, and what of it can be let go: it can be made again, but for what lies in the bin. */
export default function DiskDialog({ onClose }: { onClose: () => void }) {
  const use = useDisk().data;
  const limits = useDiskLimits().data;
  const [days, setDays] = useState(30);
  const [sure, setSure] = useState(false);
  const after = (done: { bytes: number; scenes: number } | undefined) => {
    if (!done) return;
    tell(`${bytes(done.bytes)} are free again.`, "note");
    setSure(false);
    shootsChanged();
    void queries.invalidateQueries({ queryKey: diskUse.queryKey });
  };
  const drop = async (body: { scenes?: number; deliveries?: number }) =>
    after(await told(answered(api.POST("/api/disk/drop", { body }))));
  const limit = async (part: "scenes" | "deliveries", most: number | null) => {
    const body = { scenes: limits?.scenes ?? null, deliveries: limits?.deliveries ?? null, [part]: most };
    const done = await told(answered(api.PUT("/api/disk/limits", { body })));
    void queries.invalidateQueries({ queryKey: diskLimits.queryKey });
    if (done?.bytes) after(done);
  };
  const empty = async () => after(await told(answered(api.POST("/api/bin/empty"))));
  return (
    <Dialog open onClose={onClose} aria-labelledby="disk-title" fullWidth maxWidth="xs">
      <DialogTitle id="disk-title">Disk</DialogTitle>
      <DialogContent className="fields">
        {!use && <p className="dim">Looking …</p>}
        {use && (
          <table className="disk">
            <thead>
              <tr>
                <th />
                <td />
                <td className="dim">at most</td>
              </tr>
            </thead>
            <tbody>
              {(Object.keys(PARTS) as (keyof typeof PARTS)[]).map((part) => (
                <tr key={part}>
                  <th scope="row">{PARTS[part]}</th>
                  <td>{bytes(use[part])}</td>
                  <td>
                    {limits && (part === "scenes" || part === "deliveries") && (
                      <MostInput
                        key={limits[part]}
                        label={`GB that ${PARTS[part].toLowerCase()} may take`}
                        most={limits[part]}
                        onMost={(most) => void limit(part, most)}
                      />
                    )}
                  </td>
                </tr>
              ))}
              <tr>
                <th scope="row">Free</th>
                <td>{bytes(use.free)}</td>
              </tr>
            </tbody>
          </table>
        )}
        <p className="dim">
          Merged scenes and delivered files can be made again: frames, treatments and history stay when they are let go.
          Where they would take more than they may, those that were used longest ago go by themselves.
        </p>
        <div className="segment" role="group" aria-label="Which are let go">
          {AGES.map(([age, title]) => (
            <button key={age} aria-pressed={days === age} onClick={() => setDays(age)}>
              {title}
            </button>
          ))}
        </div>
        <div className="buttons">
          <Button color="inherit" variant="outlined" onClick={() => void drop({ scenes: days })}>
            Let merged scenes go
          </Button>
          <Button color="inherit" variant="outlined" onClick={() => void drop({ deliveries: days })}>
            Let delivered files go
          </Button>
        </div>
        {use && use.binned > 0 && (
          <div className="buttons">
            <Button
              color={sure ? "error" : "inherit"}
              variant="outlined"
              onClick={() => (sure ? void empty() : setSure(true))}
            >
              {sure
                ? `Delete ${use.binned === 1 ? "one scene" : `${use.binned} scenes`} and their frames for good`
                : "Empty the bin"}
            </Button>
          </div>
        )}
      </DialogContent>
      <DialogActions>
        <Button color="inherit" onClick={onClose}>
          Close
        </Button>
      </DialogActions>
    </Dialog>
  );
}
