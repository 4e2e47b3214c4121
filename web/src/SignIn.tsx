import { Button, Dialog, DialogContent, DialogTitle, TextField } from "@mui/material";
import { useState } from "react";

import { answered, api } from "./api/client";

/** Asks for the secret where Crenn is served beyond this machine. */
export default function SignIn() {
  const [secret, setSecret] = useState("");
  const [fault, setFault] = useState<string | null>(null);
  const send = async () => {
    try {
      await answered(api.POST("/api/sign-in", { body: { secret } }));
      location.reload();
    } catch (fault) {
      setFault((fault as Error).message);
    }
  };
  return (
    <Dialog open aria-labelledby="sign-in-title">
      <DialogTitle id="sign-in-title">Sign in</DialogTitle>
      <DialogContent>
        <form
          className="stack"
          onSubmit={(e) => {
            e.preventDefault();
            void send();
          }}
        >
          <p className="dim">The secret was chosen where Crenn was started.</p>
          <TextField
            size="small"
            type="password"
            autoFocus
            label="Secret"
            value={secret}
            onChange={(e) => setSecret(e.target.value)}
            error={fault !== null}
            helperText={fault}
          />
          <div>
            <Button type="submit" variant="contained" disabled={secret === ""}>
              Sign in
            </Button>
          </div>
        </form>
      </DialogContent>
    </Dialog>
  );
}
