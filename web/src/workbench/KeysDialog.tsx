import { Dialog, DialogContent, DialogTitle } from "@mui/material";

import { KEYS } from "./useKeys";

export function KeysDialog({ open, onClose }: { open: boolean; onClose: () => void }) {
  return (
    <Dialog open={open} onClose={onClose} aria-labelledby="keys-title">
      <DialogTitle id="keys-title" sx={{ fontSize: 15, fontWeight: 650, pb: 0 }}>
        Keys
      </DialogTitle>
      <DialogContent>
        <table className="plain">
          <tbody>
            {KEYS.map(([key, act]) => (
              <tr key={key + act}>
                <td style={{ paddingRight: 26 }}>
                  <kbd>{key}</kbd>
                </td>
                <td style={{ textAlign: "left" }}>{act}</td>
              </tr>
            ))}
          </tbody>
        </table>
      </DialogContent>
    </Dialog>
  );
}
