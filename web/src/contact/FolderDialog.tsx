import { Button, Dialog, DialogActions, DialogContent, DialogTitle, List, ListItemButton } from "@mui/material";
import { useEffect, useState } from "react";

import { answered, api, type Folder } from "../api/client";

/** Choose a folder on the server, below the allowed roots. */
export function FolderDialog({ open, onClose }: { open: boolean; onClose: () => void }) {
  const [here, setHere] = useState<Folder | null>(null);
  const [fault, setFault] = useState<string | null>(null);

  const look = (path?: string) =>
    answered(api.GET("/api/folders", { params: { query: path ? { path } : {} } }))
      .then((folder) => {
        setHere(folder);
        setFault(null);
      })
      .catch((f: Error) => setFault(f.message));

  useEffect(() => {
    if (open) void look();
  }, [open]);

  const bringIn = () =>
    answered(api.POST("/api/folders", { body: { path: here!.path } }))
      .then(onClose)
      .catch((f: Error) => setFault(f.message));

  return (
    <Dialog open={open} onClose={onClose} fullWidth maxWidth="sm" aria-labelledby="folder-title">
      <DialogTitle id="folder-title" sx={{ fontSize: 15, fontWeight: 650 }}>
        Bring in a folder
      </DialogTitle>
      <DialogContent>
        {fault && <p className="fault">{fault}</p>}
        {here && (
          <>
            <p className="dim" style={{ overflowWrap: "anywhere" }}>{here.path}</p>
            <List dense disablePadding sx={{ maxHeight: 320, overflow: "auto", my: 1 }}>
              {here.parent && <ListItemButton onClick={() => void look(here.parent!)}>Up</ListItemButton>}
              {!here.parent &&
                here.roots
                  .filter((r) => r !== here.path)
                  .map((r) => (
                    <ListItemButton key={r} onClick={() => void look(r)}>
                      {r}
                    </ListItemButton>
                  ))}
              {here.folders.map((name) => (
                <ListItemButton key={name} onClick={() => void look(`${here.path}/${name}`)}>
                  {name}
                </ListItemButton>
              ))}
            </List>
            <p>
              {here.raw_files === 0 ? "No frames here." : here.raw_files === 1 ? "One frame here." : `${here.raw_files} frames here.`}
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
