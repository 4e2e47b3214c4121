import { Button, Checkbox, IconButton } from "@mui/material";

import { type List, LONGEST, removeItem, rename, setItem, STEP, useChosen, useItemDials } from "../../state/colour";
import { store } from "../../state/scene";
import { Dial } from "../Dial";
import { NameInput } from "../NameInput";

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
        <NameInput
          key={item.name}
          label="Name"
          name={item.name}
          longest={LONGEST}
          className="rest"
          onName={(name) => rename(list, index, name)}
        />
        <IconButton
          size="small"
          aria-label={`Take ${item.name} away`}
          title="Take it away"
          onClick={() => removeItem(list, index)}
        >
          ×
        </IconButton>
      </div>
      {dials.map((dial) => (
        <Dial key={`${index} ${dial.name}`} dial={dial} path={[STEP[list], list, index, dial.name]} />
      ))}
    </section>
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
