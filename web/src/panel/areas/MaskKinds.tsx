import { Button, Menu, MenuItem, Select } from "@mui/material";
import { useState } from "react";

import type { ToolName } from "../../names";
import { addPart, type Joins, useAreas, useSelected } from "../../state/areas";
import { brushOf, FINDS, foundOf } from "../../state/parts";
import { useView } from "../../state/view";
import { Presets } from "./Presets";

const JOINS: Record<Joins, string> = {
  new: "New area",
  add: "Add to it",
  subtract: "Take from it",
  intersect: "Only within it",
};

/** How the next mask begins, by kind; each is a word, and one that is drawn stays lit while it is in hand. */
export function MaskKinds() {
  const joins = useAreas((s) => s.joins);
  const selected = useSelected();
  const [finds, setFinds] = useState<HTMLElement | null>(null);
  return (
    <section aria-label="New masks" className="kinds">
      <div className="row">
        <Select
          size="small"
          variant="standard"
          value={selected ? joins : "new"}
          inputProps={{ "aria-label": "What the next mask does" }}
          onChange={(e) => useAreas.setState({ joins: e.target.value })}
        >
          {(Object.keys(JOINS) as Joins[]).map((name) => (
            <MenuItem key={name} value={name} disabled={name !== "new" && !selected}>
              {JOINS[name]}
            </MenuItem>
          ))}
        </Select>
        <Presets />
      </div>
      <div className="words">
        <Kind tool="gradient" title="Drag from where it is full to where it ends. Key D">
          gradient
        </Kind>
        <Kind tool="ellipse" title="Drag from its middle outwards. Key C">
          ellipse
        </Kind>
        <Kind tool="paint" title="Paint it; hold Ctrl to rub out, Alt for a straight line. Key P">
          brush
        </Kind>
        <Kind tool="lightPicker" title="Click light on the picture; its range is drawn on the ladder. Key T">
          light
        </Kind>
        <Kind tool="colourPicker" title="Click colours on the picture. Key E">
          colour
        </Kind>
        <Kind
          tool="grow"
          title="Press on a lake, a façade, a figure: what is like it and joined to it. Drag up for farther, press again for more, with Ctrl to keep something out; with Alt draw round a thing. Key G"
        >
          grow
        </Kind>
        <Button
          size="small"
          color="inherit"
          aria-haspopup="menu"
          aria-expanded={finds !== null}
          title="What is found in the picture by itself"
          onClick={(e) => setFinds(e.currentTarget)}
        >
          found
        </Button>
        <Button
          size="small"
          color="inherit"
          title="All of the picture: turn dials first, then rub out with Ctrl and the brush, or empty it with I and paint it in"
          onClick={() => {
            addPart(brushOf([]), { name: "Everything", invert: true });
            useAreas.setState({ joins: "new" });
          }}
        >
          everything
        </Button>
        <Kind tool="pool" title="An ellipse that brightens inside. Key O">
          light pool
        </Kind>
        <Kind tool="dodgeBurn" title="Brighten or darken by small amounts as you paint. Key N">
          dodge and burn
        </Kind>
      </div>
      <Menu anchorEl={finds} open={finds !== null} onClose={() => setFinds(null)}>
        {FINDS.map((what) => (
          <MenuItem
            key={what}
            onClick={() => {
              setFinds(null);
              addPart(foundOf(what));
              useAreas.setState({ joins: "new" });
            }}
          >
            {what}
          </MenuItem>
        ))}
      </Menu>
    </section>
  );
}

function Kind({ tool, title, children }: { tool: ToolName; title: string; children: string }) {
  const held = useView((s) => s.tool === tool);
  return (
    <Button
      size="small"
      color={held ? "primary" : "inherit"}
      aria-pressed={held}
      title={title}
      onClick={() => useView.setState({ tool: held ? "pan" : tool })}
    >
      {children}
    </Button>
  );
}
