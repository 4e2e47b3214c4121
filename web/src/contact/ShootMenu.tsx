import { ListSubheader, Menu, MenuItem } from "@mui/material";
import { useState } from "react";

import type { Shoot } from "../api/client";
import { putTogether } from "../state/library";

/** What can be done with a whole shoot: a contact sheet as a file, or its scenes put into another. */
export function ShootMenu({ shoot, others }: { shoot: Shoot; others: Shoot[] }) {
  const [at, setAt] = useState<HTMLElement | null>(null);
  const sheet = (format: "pdf" | "jpg", facts: boolean) => ({
    component: "a",
    href: `/api/shoots/${shoot.id}/sheet.${format}?facts=${facts}`,
    download: true,
    onClick: () => setAt(null),
  });
  return (
    <>
      <button className="quiet" aria-haspopup="menu" onClick={(e) => setAt(e.currentTarget)}>
        more
      </button>
      <Menu anchorEl={at} open={at !== null} onClose={() => setAt(null)} slotProps={{ list: { dense: true } }}>
        <ListSubheader>Contact sheet</ListSubheader>
        <MenuItem {...sheet("pdf", true)}>PDF, with frames' facts</MenuItem>
        <MenuItem {...sheet("pdf", false)}>PDF, pictures and names</MenuItem>
        <MenuItem {...sheet("jpg", true)}>JPEG, with frames' facts</MenuItem>
        {others.length > 0 && <ListSubheader>Put all scenes into</ListSubheader>}
        {others.map((other) => (
          <MenuItem
            key={other.id}
            onClick={() => {
              setAt(null);
              void putTogether(shoot.id, other.id);
            }}
          >
            {other.name}
          </MenuItem>
        ))}
      </Menu>
    </>
  );
}
