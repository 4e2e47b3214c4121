import { answered, api } from "../../api/client";
import { addPart, partOf, setPart, useAreas } from "../../state/areas";
import { tell } from "../../state/messages";
import { colourOf, lightOf } from "../../state/parts";
import { store, toldHere, useScene } from "../../state/scene";
import { useView } from "../../state/view";
import { PickSquare } from "../over/PickSquare";
import type { Point } from "../map";
import type { Tool } from "./tool";

/** Colours of a range, and stops to either side of the light that was clicked. */
const MOST_PICKS = 12;
const ABOUT = 1.5;

async function pickColour(place: Point) {
  const id = useScene.getState().scene?.id;
  if (id === undefined) return;
  const found = await toldHere(
    answered(
      api.POST("/api/scenes/{scene_id}/areas/pick", { params: { path: { scene_id: id } }, body: { place, radius: 6 } }),
    ),
  );
  if (!found) return;
  const { selected, part, joins } = useAreas.getState();
  const into = partOf(selected, part);
  if (joins === "new" && into?.kind === "colour") {
    const range = into;
    if (range.picks.length >= MOST_PICKS) return tell(`A range has ${MOST_PICKS} picks at most.`, "note");
    setPart(selected!, part!, { ...range, picks: [...range.picks, found] });
    useAreas.setState({ seeing: true });
    store("Another colour");
    return;
  }
  addPart(colourOf(found));
  useAreas.setState({ joins: "new" });
}

/** Picks colours on the picture: the first begins a range, further ones widen it. */
export const colourPicker: Tool = {
  name: "colourPicker",
  stations: ["areas"],
  label: "Picture: click colours to take",
  cursor: () => "crosshair",
  Over: PickSquare,
  down: ({ scene, lay }) => {
    if (lay.map.holds(scene)) void pickColour(scene);
    return null;
  },
};

/** Takes the light about a place that is clicked. */
export const lightPicker: Tool = {
  name: "lightPicker",
  stations: ["areas"],
  label: "Picture: click light to take",
  cursor: () => "crosshair",
  Over: PickSquare,
  down: ({ scene, lay }) => {
    const stop = useView.getState().probe?.stop;
    if (!lay.map.holds(scene) || stop === undefined) return null;
    addPart(lightOf(Math.round((stop - ABOUT) * 10) / 10, Math.round((stop + ABOUT) * 10) / 10));
    useAreas.setState({ joins: "new" });
    useView.setState({ tool: "pan" });
    return null;
  },
};
