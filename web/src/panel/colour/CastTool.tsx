import { Button, Checkbox, MenuItem, Select } from "@mui/material";

import { TypedNumber } from "../../curve/TypedNumber";
import { castWithin, findCast, forgetCast, useCast } from "../../state/cast";
import { useScene } from "../../state/scene";
import { number } from "../../units";
import { ToolButton } from "../ToolButton";

/** Darkest and brightest tone that can be asked for, in EV relative to white. */
const LOW = -16;
const HIGH = 4;

/** Finds a cast: in all of the picture, a box of it, or a range of tones. */
export function CastTool() {
  const cast = useScene((s) => s.treatment?.cast);
  const id = useScene((s) => s.scene?.id);
  const { by, box, low, high, scene } = useCast();
  if (!cast) return null;
  const found = cast.red !== 0 || cast.blue !== 0;
  const boxed = box !== null && scene === id;
  const some = low !== null || high !== null;
  const inside = cast.low !== null || cast.high !== null;
  const to = (change: { low?: number; high?: number }) => {
    const next = { low: low ?? LOW, high: high ?? HIGH, ...change };
    if (next.low < next.high && next.low >= LOW && next.high <= HIGH)
      useCast.setState({ low: next.low > LOW ? next.low : null, high: next.high < HIGH ? next.high : null });
  };
  return (
    <>
      <div className="choice">
        <span>Found by</span>
        <Select
          size="small"
          variant="standard"
          value={by}
          inputProps={{ "aria-label": "Found by" }}
          onChange={(e) => useCast.setState({ by: e.target.value })}
        >
          <MenuItem value="edges">Grey edges</MenuItem>
          <MenuItem value="dull">Dull colours</MenuItem>
        </Select>
      </div>
      <div className="row point-values" title="Which tones are asked, in EV relative to the picture’s white">
        <span className="dim">Tones</span>
        <TypedNumber label="Tones from, in EV" value={low ?? LOW} decimals={1} onSet={(v) => to({ low: v })} />
        <span className="dim">to</span>
        <TypedNumber label="Tones up to, in EV" value={high ?? HIGH} decimals={1} onSet={(v) => to({ high: v })} />
        <span className="dim">EV</span>
      </div>
      <div className="buttons">
        <Button
          size="small"
          variant="outlined"
          color="inherit"
          className="below"
          onClick={() => {
            useCast.setState({ box: null });
            void findCast();
          }}
        >
          Find in the picture
        </Button>
        <ToolButton
          tool="castbox"
          says="In a box"
          inHand="Drag a box"
          title="Finds the cast of a part of the picture"
        />
        {found && (
          <Button size="small" variant="text" color="inherit" className="below" onClick={forgetCast}>
            Let be
          </Button>
        )}
      </div>
      {found && (
        <p className="dim">
          Red {number(cast.red, 2, true)} EV, blue {number(cast.blue, 2, true)} EV over green
          {boxed ? ", in the box" : ""}.
        </p>
      )}
      {found && (some || inside) && (
        <label className="choice" title="Lightness stays, and the other tones keep their colours">
          <span>In these tones alone</span>
          <Checkbox
            color="default"
            checked={inside}
            onChange={(e) => castWithin(e.target.checked)}
            slotProps={{ input: { "aria-label": "In these tones alone" } }}
          />
        </label>
      )}
    </>
  );
}
