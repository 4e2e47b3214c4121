import { Autocomplete, TextField } from "@mui/material";
import { useState } from "react";

import { setLens, useLens, useLenses } from "../../state/lens";
import { useScene } from "../../state/scene";
import { number } from "../../units";
import { LensPlot } from "./LensPlot";

const FOUND = "As the frames tell";
const NONE = "None";

/** Which lens it was, what is known of it, and what is taken back. */
export function LensChoice() {
  const profile = useScene((s) => s.treatment?.lens.profile ?? null);
  const [text, setText] = useState("");
  const [open, setOpen] = useState(false);
  const known = useLens().data;
  const list = useLenses(text, open).data ?? [];
  const value = profile === null ? FOUND : profile === "" ? NONE : profile;
  const take = (name: string | null) => {
    setText("");
    if (name === null || name === FOUND) setLens({ profile: null }, "Lens as the frames tell");
    else setLens({ profile: name === NONE ? "" : name }, "Lens");
  };
  const fits = new Set(list.filter((lens) => lens.fits).map((lens) => lens.name));
  return (
    <>
      <Autocomplete
        size="small"
        options={[FOUND, NONE, ...list.map((lens) => lens.name)]}
        value={value}
        onChange={(_, name) => take(name)}
        open={open}
        onOpen={() => setOpen(true)}
        onClose={() => setOpen(false)}
        onInputChange={(_, typed, reason) => setText(reason === "input" ? typed : "")}
        // The server has searched already.
        filterOptions={(options) => options}
        isOptionEqualToValue={(option, chosen) => option === chosen}
        renderOption={(props, name) => (
          <li {...props} key={name}>
            {name}
            {fits.has(name) && <span className="fits">fits</span>}
          </li>
        )}
        renderInput={(props) => <TextField {...props} variant="standard" label="Lens" placeholder="Search by name" />}
        slotProps={{ popper: { className: "lenses" } }}
      />
      {known && (
        <>
          {profile === null && (
            <p className="lead">
              {known.lens
                ? known.lens.name
                : known.told
                  ? `“${known.told}” is not in the database.`
                  : "The frames do not name it."}
            </p>
          )}
          {known.note && <p className="fault">{known.note}</p>}
          {(known.lens || known.focal_length === null) && (
            <Settings focalLength={known.focal_length} aperture={known.aperture} />
          )}
          {known.plot && <LensPlot plot={known.plot} />}
          <p className="lead">
            {known.fringes
              ? `The merge took its fringes, by ${known.fringes === "profile" ? "its profile" : "the picture itself"}.`
              : "The merge took no fringes."}
          </p>
        </>
      )}
    </>
  );
}

/** Focal length and aperture, typed where the frames do not tell them. */
function Settings({ focalLength, aperture }: { focalLength: number | null; aperture: number | null }) {
  return (
    <div className="choice">
      <Typed name="focal_length" title="Focal length in mm" unit="mm" told={focalLength} low={1} high={2000} />
      <Typed name="aperture" title="Aperture, as f-number" unit="f/" told={aperture} low={0.5} high={64} />
    </div>
  );
}

interface TypedProps {
  name: "focal_length" | "aperture";
  title: string;
  unit: string;
  told: number | null;
  low: number;
  high: number;
}

function Typed({ name, title, unit, told, low, high }: TypedProps) {
  const own = useScene((s) => s.treatment?.lens[name] ?? null);
  const shown = own ?? told;
  const keep = (text: string) => {
    const value = text.trim() === "" ? null : Number(text.replace(",", "."));
    if (value !== null && !(value >= low && value <= high)) return;
    if (value === shown || value === own) return;
    setLens({ [name]: value }, title);
  };
  return (
    <label
      className="own"
      title={`${title}. ${told === null ? "The frames do not tell it" : `The frames tell ${number(told, 1)}`}`}
    >
      <span>{unit}</span>
      <input
        key={`${own} ${told}`}
        className={own === null ? "typed auto" : "typed"}
        aria-label={title}
        placeholder="?"
        defaultValue={shown === null ? "" : Number(shown.toFixed(1))}
        onBlur={(e) => keep(e.target.value)}
        onKeyDown={(e) => {
          e.stopPropagation();
          if (e.key === "Enter") e.currentTarget.blur();
        }}
      />
    </label>
  );
}
