import { Dialog, DialogContent, DialogTitle } from "@mui/material";

import { type Key, KEYS } from "./keys";

const HALF = Math.ceil(KEYS.length / 2);

export default function KeysDialog({ onClose }: { onClose: () => void }) {
  return (
    <Dialog open onClose={onClose} maxWidth="md" aria-labelledby="keys-title">
      <DialogTitle id="keys-title">Keys</DialogTitle>
      <DialogContent className="two">
        <KeysTable keys={KEYS.slice(0, HALF)} />
        <KeysTable keys={KEYS.slice(HALF)} />
      </DialogContent>
    </Dialog>
  );
}

function KeysTable({ keys }: { keys: Key[] }) {
  return (
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
  );
}
