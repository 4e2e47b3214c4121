import { Alert, Snackbar } from "@mui/material";

import { useNews } from "./api/news";
import { dismiss, useMessages } from "./state/messages";

/** Faults and notes, at the lower left above the status line; and the state of the connection. */
export default function Messages() {
  const list = useMessages((s) => s.list);
  const connected = useNews((s) => s.connected);
  const database = useNews((s) => s.database);
  const why = useNews((s) => s.why);
  const lost = !connected
    ? "No connection to Crenn. What you see stays; changes are stored as soon as it is back."
    : !database
      ? `${why ?? "The database does not answer."} What you see stays; changes are stored as soon as it is back.`
      : why;
  const first = list[0];
  return (
    <>
      <Snackbar open={lost !== null} anchorOrigin={{ vertical: "top", horizontal: "center" }} className="lost">
        <Alert severity="warning" variant="outlined" icon={false} role="status">
          {lost}
        </Alert>
      </Snackbar>
      <Snackbar
        key={first?.id}
        open={first !== undefined}
        autoHideDuration={first?.kind === "note" ? 4000 : 12000}
        onClose={(_, reason) => reason !== "clickaway" && first && dismiss(first.id)}
        anchorOrigin={{ vertical: "bottom", horizontal: "center" }}
        className="told"
      >
        <Alert
          severity={first?.kind === "note" ? "info" : "error"}
          variant="outlined"
          icon={false}
          onClose={() => first && dismiss(first.id)}
        >
          {first?.text}
        </Alert>
      </Snackbar>
    </>
  );
}
