import { Button } from "@mui/material";

import type { ToolName } from "../names";
import { useView } from "../state/view";

/** Takes a tool of the picture in hand, or puts it down. */
export function ToolButton({ tool, says, inHand, title, before }: { tool: ToolName; says: string; inHand: string; title?: string; before?: () => void }) {
  const held = useView((s) => s.tool === tool);
  return (
    <Button
      size="small"
      variant="outlined"
      color={held ? "primary" : "inherit"}
      aria-pressed={held}
      title={title}
      onClick={() => {
        before?.();
        useView.setState({ tool: held ? "pan" : tool });
      }}
      className="below"
    >
      {held ? inHand : says}
    </Button>
  );
}
