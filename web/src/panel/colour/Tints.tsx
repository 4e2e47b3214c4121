import { addTint, layUsual } from "../../state/colour";
import { ChosenItem, ListButton } from "./ChosenItem";

/** How tints are laid, and the one that is worked on. */
export function Tints() {
  return (
    <>
      <div className="buttons">
        <ListButton
          says="Shadows to highlights"
          title="Three points on the ladder; drag them on the circle"
          onClick={() => void layUsual("points")}
        />
        <ListButton says="One more" title="A point for a tone that has none yet" onClick={() => addTint()} />
      </div>
      <ChosenItem list="points" none="Points lie on the ladder by their tone, and on the circle by their colour." />
    </>
  );
}
