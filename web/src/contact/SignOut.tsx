import { Button } from "@mui/material";

import { answered, api, useSession } from "../api/client";
import { useSessionKind } from "../api/queries";
import { told } from "../state/messages";

/** Ends this browser's session, where there is a secret to sign in with. */
export function SignOut() {
  const session = useSessionKind().data;
  if (!session?.secret) return null;
  const out = async () => {
    if (await told(answered(api.POST("/api/sign-out")))) useSession.setState({ signInNeeded: true });
  };
  return (
    <footer className="row below">
      <Button size="small" color="inherit" onClick={() => void out()}>
        Sign out
      </Button>
    </footer>
  );
}
