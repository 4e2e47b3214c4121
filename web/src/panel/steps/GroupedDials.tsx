import { MenuItem, Select } from "@mui/material";
import { useState } from "react";

import type { Dial as About } from "../../api/client";
import { useScene } from "../../state/scene";
import { valueAt } from "../../state/values";
import { Dial } from "../Dial";

/** More groups than this are chosen from a list. */
const FEW = 3;

/** Dials of a step that has many: a group of them at a time. Groups in which something is changed are marked. */
export function GroupedDials({ dials }: { dials: About[] }) {
  const groups = [...new Set(dials.map((d) => d.group!))];
  const [shown, setShown] = useState(groups[0]);
  const touched = useScene((s) =>
    groups
      .filter(
        (g) => s.treatment && dials.some((d) => d.group === g && valueAt(s.treatment!, [d.step, d.name]) !== d.default),
      )
      .join("|"),
  );
  const marked = (g: string) => (touched.split("|").includes(g) ? `${g} ·` : g);
  return (
    <>
      {groups.length > FEW ? (
        <Select
          size="small"
          variant="standard"
          value={shown}
          inputProps={{ "aria-label": "Which of them" }}
          onChange={(e) => setShown(e.target.value)}
        >
          {groups.map((g) => (
            <MenuItem key={g} value={g}>
              {marked(g)}
            </MenuItem>
          ))}
        </Select>
      ) : (
        <div className="segment" role="group" aria-label="Which of them">
          {groups.map((g) => (
            <button key={g} aria-pressed={g === shown} onClick={() => setShown(g)}>
              {marked(g)}
            </button>
          ))}
        </div>
      )}
      {dials
        .filter((d) => d.group === shown)
        .map((d) => (
          <Dial key={d.name} dial={d} path={[d.step, d.name]} />
        ))}
    </>
  );
}
