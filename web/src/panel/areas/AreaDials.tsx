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
import { ALL, bendable, type Bendable, leavable, OUT, withWhole } from "./bends";
import { sought } from "./search";

/** A name has at most so many characters. */
const LONGEST = 60;
const ACTS: Record<Area["acts"], string> = {
  light: "light",
  lightness: "lightness alone",
  colour: "colour alone",
  added: "a light added",
};

/** What an area bends: a dial for each, relative to the whole picture's, and a field to name more. */
export function AreaDials({ area }: { area: Area }) {
  const treatment = useScene((s) => s.treatment);
  const opacity = useKinds().data?.area.find((d) => d.name === "opacity");
  const steps = useSteps().data ?? [];
  const dials = bendable(steps, treatment);
  const bent = dials.filter((d) => d.name in area.bends);
  const others = dials.filter((d) => !(d.name in area.bends));
  const [typed, setTyped] = useState("");
  const bend = (names: readonly string[], value: (name: string) => number | undefined, says: string) => {
    preview((t) => names.reduce((all, name) => withValue(all, ["areas", area.id, "bends", name], value(name)), t));
    const now = useScene.getState().treatment?.areas.find((a) => a.id === area.id)?.bends ?? {};
    remember(Object.fromEntries(dials.filter((d) => d.name in now).map((d) => [d.name, d.dial.default!])));
    store(says);
  };
  const leaveOut = (without: string[], says: string) => {
    preview((t) => withValue(t, ["areas", area.id, "without"], without));
    store(says);
  };
  /** A dial, all of a step that are not bent yet, or a step left out. */
  const begin = (found: Bendable) => {
    if (found.name.endsWith(OUT))
      return leaveOut([...area.without, found.of], `${found.step} left out in ${area.name}`);
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
      <div
        className="choice"
        title="What of the light its dials change, or whether what they make of it is added to what is there"
      >
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
      {area.without.map((name) => {
        const title = steps.find((step) => step.name === name)?.title ?? name;
        return (
          <div className="choice" key={name}>
            <span>Without {title}</span>
            <IconButton
              size="small"
              aria-label={`${title} in it again`}
              title="The step acts in it again"
              onClick={() =>
                leaveOut(
                  area.without.filter((other) => other !== name),
                  `${title} in ${area.name} again`,
                )
              }
            >
              ×
            </IconButton>
          </div>
        );
      })}
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
        options={[...others, ...leavable(steps, area.without)]}
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
            placeholder="Bend a dial or leave a step out: type its name"
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
