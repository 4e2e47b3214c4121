import { IconButton, MenuItem, Select } from "@mui/material";

import type { Area } from "../../api/client";
import { useSteps } from "../../api/queries";
import { preview, store, useScene } from "../../state/scene";
import { withValue } from "../../state/values";
import { Dial } from "../Dial";
import { NameInput } from "../NameInput";
import { bendable } from "./bends";

/** A name has at most so many characters. */
const LONGEST = 60;

/** What an area bends: a dial for each, relative to the whole picture's, and a way to bend more. */
export function AreaDials({ index, area }: { index: number; area: Area }) {
  const treatment = useScene((s) => s.treatment);
  const dials = bendable(useSteps().data ?? [], treatment);
  const bent = dials.filter((d) => d.name in area.bends);
  const others = dials.filter((d) => !(d.name in area.bends));
  const bend = (name: string, value: number | undefined, says: string) => {
    preview((t) => withValue(t, ["areas", index, "bends", name], value));
    store(says);
  };
  return (
    <section aria-label="What it bends">
      <h3 className="group">
        <NameInput
          key={`${index} ${area.name}`}
          label="Name of the area"
          name={area.name}
          longest={LONGEST}
          onName={(name) => {
            preview((t) => withValue(t, ["areas", index, "name"], name));
            store("Name of an area");
            return true;
          }}
        />
      </h3>
      {bent.map(({ name, dial }) => (
        <Dial key={`${index} ${name}`} dial={dial} path={["areas", index, "bends", name]}>
          <IconButton size="small" aria-label={`Do not bend ${dial.title}`} title="Do not bend it" onClick={() => bend(name, undefined, `${dial.title} bent no more`)}>
            ×
          </IconButton>
        </Dial>
      ))}
      {others.length > 0 && (
        <Select
          size="small"
          variant="standard"
          displayEmpty
          value=""
          className="below"
          inputProps={{ "aria-label": "Bend another dial" }}
          onChange={(e) => {
            const dial = others.find((d) => d.name === e.target.value)!.dial;
            bend(e.target.value, dial.default!, `${dial.title} bent`);
          }}
        >
          <MenuItem value="" disabled>
            Bend another dial
          </MenuItem>
          {others.map((d) => (
            <MenuItem key={d.name} value={d.name}>
              {d.dial.title} <span className="dim">&nbsp; {d.step}</span>
            </MenuItem>
          ))}
        </Select>
      )}
    </section>
  );
}
