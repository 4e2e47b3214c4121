import { Dialog, DialogContent, DialogTitle, TextField } from "@mui/material";
import { useState } from "react";

import { type Key, KEYS } from "./keys";
import { grouped } from "./keyGroups";
import type { StationName } from "../names";

/** All keys by station, the present one's first; what is typed narrows them down. */
export default function KeysDialog({ station, onClose }: { station: StationName; onClose: () => void }) {
  const [sought, setSought] = useState("");
  const groups = grouped(KEYS, station, sought);
  return (
    <Dialog open onClose={onClose} maxWidth="md" fullWidth aria-labelledby="keys-title">
      <DialogTitle id="keys-title">Keys</DialogTitle>
      <DialogContent>
        <TextField
          autoFocus
          fullWidth
          size="small"
          variant="standard"
          placeholder="Find by what it does, or by the key"
          value={sought}
          onChange={(e) => setSought(e.target.value)}
          slotProps={{ htmlInput: { "aria-label": "Find a key" } }}
        />
        <div className="key-groups">
          {groups.map(({ title, keys }) => (
            <KeysTable key={title} title={title} keys={keys} />
          ))}
        </div>
        {groups.length === 0 && <p className="dim">No key does that.</p>}
      </DialogContent>
    </Dialog>
  );
}

function KeysTable({ title, keys }: { title: string; keys: Key[] }) {
  return (
    <section aria-label={title}>
      <h3 className="group">{title}</h3>
      <table className="plain keys">
        <tbody>
          {keys.map(({ shown, says }) => (
            <tr key={shown + says}>
              <td>
                <kbd>{shown}</kbd>
              </td>
              <td>{says}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}
