import { Button, IconButton, Menu, MenuItem } from "@mui/material";
import { useState } from "react";

import { usePresets } from "../../api/queries";
import { areas } from "../../state/areas";
import { forgetPreset, paste, useClipboard } from "../../state/clipboard";
import { KeepPreset } from "./KeepPreset";

/** Areas kept by name, and those copied: put on this scene from here. */
export function Presets() {
  const [at, setAt] = useState<HTMLElement | null>(null);
  const presets = usePresets().data?.presets ?? [];
  const copied = useClipboard((s) => s.copied);
  const close = () => setAt(null);
  return (
    <>
      <Button
        size="small"
        color="inherit"
        aria-haspopup="menu"
        aria-expanded={at !== null}
        onClick={(e) => setAt(e.currentTarget)}
      >
        Area presets
      </Button>
      <Menu anchorEl={at} open={at !== null} onClose={close}>
        {copied && (
          <MenuItem
            divider
            onClick={() => {
              close();
              void paste(copied);
            }}
          >
            Paste {copied.areas.map((a) => `“${a.name}”`).join(", ")}
          </MenuItem>
        )}
        {presets.map((preset) => (
          <MenuItem
            key={preset.name}
            onClick={() => {
              close();
              void paste(preset.document, preset.name);
            }}
          >
            <span className="rest">{preset.name}</span>
            {preset.own && (
              <IconButton
                size="small"
                aria-label={`Forget ${preset.name}`}
                onClick={(e) => {
                  e.stopPropagation();
                  void forgetPreset(preset.name);
                }}
              >
                ×
              </IconButton>
            )}
          </MenuItem>
        ))}
        {areas().length > 0 && <KeepPreset label="Keep all areas as a preset" areas={areas()} done={close} />}
      </Menu>
    </>
  );
}
