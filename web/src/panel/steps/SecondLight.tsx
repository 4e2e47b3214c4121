import { Button } from "@mui/material";

import { useScene } from "../../state/scene";
import { forgetSecond, useWhite } from "../../state/white";
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

/** Dials between two lights, where there are two. */
export function BetweenLights() {
  const second = useScene((s) => s.treatment?.white_balance.second_temperature ?? null);
  if (second === null) return null;
  return (
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
  );
}

/** A second light, picked by hand. */
export function SecondLight() {
  const second = useScene((s) => s.treatment?.white_balance.second_temperature ?? null);
  const into = useWhite((s) => s.second);
  return (
    <ToolButton
      tool="neutral"
      mine={into}
      says={second === null ? "A second light" : "Pick the second light"}
      inHand="Click a place lit by the other light"
      title="Two readings, and a dial between them"
      before={() => useWhite.setState({ second: true })}
    />
  );
}
