import { Autocomplete, IconButton, MenuItem, Select, TextField } from "@mui/material";
import { useState } from "react";

import type { Area } from "../../api/client";
import { useKinds, useSteps } from "../../api/queries";
import { preview, store, useScene } from "../../state/scene";
import { withValue } from "../../state/values";
import { Dial } from "../Dial";
import { NameInput } from "../NameInput";
import { ToolButton } from "../ToolButton";
import { remember } from "../../state/areas";
import { ALL, bendable, type Bendable, withWhole } from "./bends";
import { sought } from "./search";

/** A name has at most so many characters. */
const LONGEST = 60;
const ACTS: Record<Area["acts"], string> = { light: "light", lightness: "lightness alone", colour: "colour alone" };

/** What an area bends: a dial for each, relative to the whole picture's, and a field to name more. */
export function AreaDials({ area }: { area: Area }) {
  const treatment = useScene((s) => s.treatment);
  const opacity = useKinds().data?.area.find((d) => d.name === "opacity");
  const dials = bendable(useSteps().data ?? [], treatment);
  const bent = dials.filter((d) => d.name in area.bends);
  const others = dials.filter((d) => !(d.name in area.bends));
  const [typed, setTyped] = useState("");
  const bend = (names: readonly string[], value: (name: string) => number | undefined, says: string) => {
    preview((t) => names.reduce((all, name) => withValue(all, ["areas", area.id, "bends", name], value(name)), t));
    const now = useScene.getState().treatment?.areas.find((a) => a.id === area.id)?.bends ?? {};
    remember(Object.fromEntries(dials.filter((d) => d.name in now).map((d) => [d.name, d.dial.default!])));
    store(says);
  };
  /** A dial, or all of a step that are not bent yet. */
  const begin = (found: Bendable) => {
    const more = found.name.endsWith(ALL) ? others.filter((d) => `${d.of}${ALL}` === found.name) : [found];
    bend(
      more.map((d) => d.name),
      (name) => more.find((d) => d.name === name)?.dial.default ?? 0,
      `${found.dial.title} bent`,
    );
  };
  return (
    <section aria-label="What it bends">
      <h3 className="group">
        <NameInput
          key={`${area.id} ${area.name}`}
          label="Name of the area"
          name={area.name}
          longest={LONGEST}
          onName={(name) => {
            preview((t) => withValue(t, ["areas", area.id, "name"], name));
            store("Name of an area");
            return true;
          }}
        />
      </h3>
      {opacity && <Dial key={`${area.id} opacity`} dial={opacity} path={["areas", area.id, "opacity"]} />}
      <div className="choice" title="What of the light its dials change; the rest stays as it was">
        <span>Acts on</span>
        <Select
          size="small"
          variant="standard"
          value={area.acts}
          inputProps={{ "aria-label": "What the area acts on" }}
          onChange={(e) => {
            preview((t) => withValue(t, ["areas", area.id, "acts"], e.target.value));
            store(`${area.name} acts on ${ACTS[e.target.value]}`);
          }}
        >
          {Object.entries(ACTS).map(([name, title]) => (
            <MenuItem key={name} value={name}>
              {title}
            </MenuItem>
          ))}
        </Select>
      </div>
      {bent.map(({ name, dial }) => (
        <Dial key={`${area.id} ${name}`} dial={dial} path={["areas", area.id, "bends", name]}>
          <IconButton
            size="small"
            aria-label={`Do not bend ${dial.title}`}
            title="Do not bend it"
            onClick={() => bend([name], () => undefined, `${dial.title} bent no more`)}
          >
            ×
          </IconButton>
        </Dial>
      ))}
      <div className="buttons">
        <ToolButton
          tool="huePicker"
          says="Pick a hue in it"
          inHand="Click it"
          title="Dials for the hues of a place within the area; elsewhere they stay as they are"
        />
        <ToolButton
          tool="washPicker"
          says="A colour for it"
          inHand="Click its colour"
          title="A wash of a colour picked on the picture over the area: a lamp’s own, or warm light from a corner"
        />
      </div>
      <Autocomplete<Bendable>
        size="small"
        className="below"
        options={others}
        value={null}
        blurOnSelect
        autoHighlight
        inputValue={typed}
        onInputChange={(_, text, why) => setTyped(why === "input" ? text : "")}
        filterOptions={(options) => withWhole(sought(options, typed))}
        groupBy={(d) => d.step}
        getOptionLabel={(d) => d.dial.title}
        getOptionKey={(d) => d.name}
        noOptionsText="No dial of this name can be bent."
        onChange={(_, found) => found && begin(found)}
        renderInput={(params) => (
          <TextField
            {...params}
            variant="standard"
            placeholder="Bend another dial: type its name, or what it does"
            slotProps={{
              ...params.slotProps,
              htmlInput: { ...params.slotProps.htmlInput, "aria-label": "Bend another dial" },
            }}
          />
        )}
      />
    </section>
  );
}
