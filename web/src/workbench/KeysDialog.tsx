import { Dialog, DialogContent, DialogTitle } from "@mui/material";

import { KEYS } from "./keys";

export default function KeysDialog({ onClose }: { onClose: () => void }) {
  return (
    <Dialog open onClose={onClose} aria-labelledby="keys-title">
      <DialogTitle id="keys-title">Keys</DialogTitle>
      <DialogContent>
        <table className="plain keys">
          <tbody>
            {KEYS.map(({ shown, says }) => (
              <tr key={shown + says}>
                <td>
                  <kbd>{shown}</kbd>
                </td>
                <td>{says}</td>
              </tr>
            ))}
          </tbody>
        </table>
      </DialogContent>
    </Dialog>
  );
}
