import { Button, Checkbox, IconButton } from "@mui/material";
import { useState } from "react";

import { type List, removeItem, rename, setItem, useChosen, useItemDials } from "../../state/colour";
import { store } from "../../state/scene";
import { Dial } from "../Dial";
import { STEP } from "../../state/colour";

/** The range or the tint that is worked on: its name, its switch and its dials. */
export function ChosenItem({ list, none }: { list: List; none: string }) {
  const chosen = useChosen();
  const dials = useItemDials(list);
  if (chosen?.list !== list) return <p className="dim">{none}</p>;
  const { index, item } = chosen;
  return (
    <section aria-label={item.name} className={item.on ? "item" : "item off"}>
      <div className="row">
        <Checkbox
          color="default"
          checked={item.on}
          onChange={(e) => {
            setItem(list, index, { on: e.target.checked });
            store(`${item.name} ${e.target.checked ? "on" : "off"}`);
          }}
          slotProps={{ input: { "aria-label": `Use ${item.name}` } }}
        />
        <Name key={item.name} list={list} index={index} name={item.name} />
        <IconButton size="small" aria-label={`Take ${item.name} away`} title="Take it away" onClick={() => removeItem(list, index)}>
          ×
        </IconButton>
      </div>
      {dials.map((dial) => (
        <Dial key={`${index} ${dial.name}`} dial={dial} path={[STEP[list], list, index, dial.name]} />
      ))}
    </section>
  );
}

/** Its name, to be typed over. */
function Name({ list, index, name }: { list: List; index: number; name: string }) {
  const [typed, setTyped] = useState(name);
  return (
    <input
      className="typed name rest"
      aria-label="Name"
      value={typed}
      maxLength={40}
      onChange={(e) => setTyped(e.target.value)}
      onBlur={() => {
        if (!rename(list, index, typed)) setTyped(name);
      }}
      onKeyDown={(e) => {
        e.stopPropagation();
        if (e.key === "Enter") e.currentTarget.blur();
        if (e.key === "Escape") setTyped(name);
      }}
    />
  );
}

/** A button under a list. */
export function ListButton({ says, title, onClick }: { says: string; title: string; onClick: () => void }) {
  return (
    <Button size="small" variant="outlined" color="inherit" className="below" title={title} onClick={onClick}>
      {says}
    </Button>
  );
}
