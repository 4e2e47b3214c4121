import { Button, Dialog, DialogActions, DialogContent, DialogTitle, List, ListItemButton } from "@mui/material";
import { useState } from "react";

import { answered, api } from "../api/client";
import { useFolder } from "../api/queries";

/** Choose a folder on the server, below the allowed roots. */
export default function FolderDialog({ onClose }: { onClose: () => void }) {
  const [path, setPath] = useState<string | null>(null);
  const [refused, setRefused] = useState<string | null>(null);
  const { data: here, error } = useFolder(path, true);
  const fault = refused ?? error?.message;

  const bringIn = () =>
    answered(api.POST("/api/folders", { body: { path: here!.path } }))
      .then(onClose)
      .catch((f: Error) => setRefused(f.message));

  return (
    <Dialog open onClose={onClose} fullWidth maxWidth="sm" aria-labelledby="folder-title">
      <DialogTitle id="folder-title">Bring in a folder</DialogTitle>
      <DialogContent>
        {fault && <p className="fault">{fault}</p>}
        {here && (
          <>
            <p className="dim path">{here.path}</p>
            <List dense disablePadding className="folders">
              {here.parent && <ListItemButton onClick={() => setPath(here.parent)}>Up</ListItemButton>}
              {!here.parent &&
                here.roots
                  .filter((r) => r !== here.path)
                  .map((r) => (
                    <ListItemButton key={r} onClick={() => setPath(r)}>
                      {r}
                    </ListItemButton>
                  ))}
              {here.folders.map((name) => (
                <ListItemButton key={name} onClick={() => setPath(`${here.path}/${name}`)}>
                  {name}
                </ListItemButton>
              ))}
            </List>
            <p>
              {here.raw_files === 0
                ? "No frames here."
                : here.raw_files === 1
                  ? "One frame here."
                  : `${here.raw_files} frames here.`}
            </p>
          </>
        )}
      </DialogContent>
      <DialogActions>
        <Button color="inherit" onClick={onClose}>
          Cancel
        </Button>
        <Button variant="contained" disabled={!here || here.raw_files === 0} onClick={() => void bringIn()}>
          Bring in
        </Button>
      </DialogActions>
    </Dialog>
  );
}
