import { Button, MenuItem, Select } from "@mui/material";

import { useScene } from "../../state/scene";
import { forgetBeyond, forgetSecond, PATCHES, readPicture, useWhite } from "../../state/white";
import { number } from "../../units";
import { Dial } from "../Dial";
import { ToolButton } from "../ToolButton";

const BETWEEN = {
  title: "Between",
  help: "How far the white lies from the first light towards the second.",
  unit: "%",
  low: 0,
  high: 100,
  increment: 1,
  scale: "linear" as const,
  shows: null,
  default: 50,
};

const OWN = {
  ...BETWEEN,
  title: "Each its own",
  help: "How far each place is balanced for that of the two lights which it has; Lights below shows which.",
  default: 0,
};

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

/** White balances read from the picture: from a patch, from two, from all of it. */
export function WhiteReadings() {
  const second = useScene((s) => s.treatment?.white_balance.second_temperature ?? null);
  const red = useScene((s) => s.treatment?.white_balance.red ?? 0);
  const blue = useScene((s) => s.treatment?.white_balance.blue ?? 0);
  const side = useWhite((s) => s.side);
  const into = useWhite((s) => s.second);
  const last = useWhite((s) => s.last);
  return (
    <>
      <div className="buttons">
        {READINGS.map(({ by, says, title }) => (
          <Button
            key={by}
            size="small"
            variant="outlined"
            color="inherit"
            className="below"
            title={title}
            onClick={() => void readPicture(by)}
          >
            {says}
          </Button>
        ))}
      </div>
      <div className="choice">
        <ToolButton
          tool="neutral"
          mine={!into}
          says="Pick a neutral patch"
          inHand="Click a grey place in the picture"
          before={() => useWhite.setState({ second: false })}
        />
        <Select
          size="small"
          variant="standard"
          value={side}
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
      <ToolButton
        tool="neutral"
        mine={into}
        says={second === null ? "A second light" : "Pick the second light"}
        inHand="Click a place lit by the other light"
        title="Two readings, and a dial between them"
        before={() => useWhite.setState({ second: true })}
      />
      {second !== null && (
        <>
          <Dial dial={BETWEEN} path={["white_balance", "between"]} />
          <Dial dial={OWN} path={["white_balance", "own"]} />
          <div className="choice">
            <span>Second light {number(second, 0)} K</span>
            <Button
              size="small"
              color="inherit"
              onClick={() => {
                useWhite.setState({ second: false });
                forgetSecond();
              }}
            >
              Leave it out
            </Button>
          </div>
        </>
      )}
    </>
  );
}
