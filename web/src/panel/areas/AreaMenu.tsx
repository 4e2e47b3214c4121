import { Button, Menu, MenuItem } from "@mui/material";
import { useState } from "react";

import type { Area } from "../../api/client";
import { duplicateArea, moveArea, turnInsideOut } from "../../state/areas";
import { copyArea, deliverMask, pasteInto, useClipboard } from "../../state/clipboard";
import { KeepPreset } from "./KeepPreset";

/** What can be done with a whole area. */
export function AreaMenu({ index, area }: { index: number; area: Area }) {
  const [at, setAt] = useState<HTMLElement | null>(null);
  const copied = useClipboard((s) => s.copied);
  const act = (work: () => unknown) => () => {
    setAt(null);
    void work();
  };
  return (
    <section aria-label="The area" className="row below">
      <Button size="small" color="inherit" onClick={() => duplicateArea(area, false)}>
        Duplicate
      </Button>
      <Button
        size="small"
        color="inherit"
        aria-pressed={area.invert}
        title="The mask as a whole takes what it left out; what it bends stays. Key I"
        onClick={() => turnInsideOut(area)}
      >
        Inside out
      </Button>
      <Button size="small" color="inherit" aria-haspopup="menu" onClick={(e) => setAt(e.currentTarget)}>
        More
      </Button>
      <Menu anchorEl={at} open={at !== null} onClose={() => setAt(null)}>
        <MenuItem onClick={act(() => duplicateArea(area, true))}>An area of all that it leaves out</MenuItem>
        <MenuItem onClick={act(() => copyArea(area))}>Copy it, for any scene</MenuItem>
        <MenuItem disabled={!copied} onClick={act(() => pasteInto(area, "mask"))}>
          Take the copied mask
        </MenuItem>
        <MenuItem disabled={!copied} onClick={act(() => pasteInto(area, "settings"))}>
          Take the copied settings
        </MenuItem>
        <MenuItem divider onClick={act(() => moveArea(index, index - 1))} disabled={index === 0}>
          Earlier in the list
        </MenuItem>
        <MenuItem onClick={act(() => deliverMask(area))}>Write its mask as PNG</MenuItem>
        <KeepPreset label="Keep it as a preset" areas={[area]} done={() => setAt(null)} />
      </Menu>
    </section>
  );
}
