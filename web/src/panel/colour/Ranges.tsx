import { layUsual, useColour } from "../../state/colour";
import { ToolButton } from "../ToolButton";
import { ChosenItem, ListButton } from "./ChosenItem";

/** What stands under the circle: how ranges are laid, and the one that is worked on. */
export function Ranges() {
  const picked = useColour((s) => s.picked);
  return (
    <>
      <div className="buttons">
        <ToolButton
          tool="pick"
          says="Pick a hue"
          inHand="Picking: press and drag"
          title="A range for the colour of a place of the picture; dragged up or down it gets lighter or darker, sideways its hue turns, with Shift its saturation. Key C"
        />
        <ListButton
          says="Eight usual"
          title="Red, orange, yellow, green, cyan, blue, purple and magenta, round the whole circle"
          onClick={() => void layUsual("ranges")}
        />
      </div>
      {picked && (
        <p className="dim">
          <span className="swatch" style={{ background: `rgb(${picked.code.join(" ")})` }} />
          {picked.hue.toFixed(0)}° ± {picked.spread.toFixed(0)}°, saturation {(100 * picked.saturation).toFixed(0)} %
        </p>
      )}
      <ChosenItem
        list="ranges"
        none="Pick a colour on the picture: its range stands on the circle, to be moved and widened."
      />
    </>
  );
}
