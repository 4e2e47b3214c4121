import { Button } from "@mui/material";

import type { ToolName } from "../names";
import { useView } from "../state/view";

interface Props {
  tool: ToolName;
  says: string;
  inHand: string;
  title?: string;
  before?: () => void;
  /** Whether the tool in hand is in the way that this button gives it, where others give it as well. */
  mine?: boolean;
}

/** Takes a tool of the picture in hand, or puts it down. */
export function ToolButton({ tool, says, inHand, title, before, mine = true }: Props) {
  const held = useView((s) => s.tool === tool) && mine;
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
