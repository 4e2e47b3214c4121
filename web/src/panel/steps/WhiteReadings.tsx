import { Button, MenuItem, Select } from "@mui/material";

import { useScene } from "../../state/scene";
import { forgetBeyond, PATCHES, readPicture, useWhite } from "../../state/white";
import { number } from "../../units";
import { ToolButton } from "../ToolButton";
import { BetweenLights } from "./SecondLight";

const READINGS = [
  {
    by: "automatic",
    says: "By eye",
    title: "As an eye would have it: lamps stay warm, the blue hour stays blue",
  },
  { by: "picture", says: "Whole picture", title: "The picture as a whole becomes grey" },
  {
    by: "two",
    says: "Two lights",
    title: "Finds two lights in the scene, as of lamps and of the sky, and a dial between them",
  },
] as const;

/** White balances read from the picture: from a patch, from all of it, from two lights. */
export function WhiteReadings() {
  const red = useScene((s) => s.treatment?.white_balance.red ?? 0);
  const blue = useScene((s) => s.treatment?.white_balance.blue ?? 0);
  const side = useWhite((s) => s.side);
  const into = useWhite((s) => s.second);
  const last = useWhite((s) => s.last);
  return (
    <>
      <div className="choice">
        <ToolButton
          tool="neutral"
          mine={!into}
          says="Pick a neutral patch"
          inHand="Click a grey place"
          before={() => useWhite.setState({ second: false })}
        />
        <Select
          size="small"
          variant="standard"
          value={side}
          renderValue={(p) => `${p} px`}
          title="Side of the patch"
          inputProps={{ "aria-label": "Side of the patch" }}
          onChange={(e) => useWhite.setState({ side: Number(e.target.value) })}
        >
          {PATCHES.map((p) => (
            <MenuItem key={p} value={p}>
              {p} × {p} px
            </MenuItem>
          ))}
        </Select>
      </div>
      <div className="segment" role="group" aria-label="White found by itself">
        {READINGS.map(({ by, says, title }) => (
          <button key={by} title={title} onClick={() => void readPicture(by)}>
            {says}
          </button>
        ))}
      </div>
      {last && (
        <p className="dim" data-testid="reading">
          {last.side} × {last.side} px: {number(last.temperature, 0)} K, tint {number(last.tint, 1, true)}
          {last.spread !== null &&
            (last.spread < 10
              ? `, even to ±${number(last.spread, 0)} mired`
              : `, uneven: ±${number(last.spread, 0)} mired`)}
        </p>
      )}
      {last && last.short > 0.1 && (
        <p className="dim">It falls short by {number(last.short, 1)} EV: the place is no grey that gains can reach.</p>
      )}
      {(red !== 0 || blue !== 0) && (
        <div className="choice" data-testid="beyond">
          <span title="No white light has this colour: red and blue are moved beside it">
            Beyond white: red {number(red, 2, true)}, blue {number(blue, 2, true)} EV
          </span>
          <Button size="small" color="inherit" onClick={forgetBeyond}>
            Take off
          </Button>
        </div>
      )}
      <BetweenLights />
    </>
  );
}
