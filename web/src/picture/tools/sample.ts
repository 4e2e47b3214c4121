import { answered, api } from "../../api/client";
import { apart } from "../../circle/polar";
import { addPart, areaOf, partOf, setPart, useAreas } from "../../state/areas";
import { pickRange } from "../../state/colour";
import { tell } from "../../state/messages";
import { colourOf, lightOf } from "../../state/parts";
import { preview, store, toldHere, useScene } from "../../state/scene";
import { withValue } from "../../state/values";
import { useView } from "../../state/view";
import { PickSquare } from "../over/PickSquare";
import type { Point } from "../map";
import type { Tool } from "./tool";

/** Colours of a range, and stops to either side of the light that was clicked. */
const MOST_PICKS = 12;
const ABOUT = 1.5;
/** How far a wash goes once its colour is picked, in %. */
const FIRST_WASH = 40;
/** Dials of a range of hues that an area has ready, at what bends nothing. */
const OF_HUES = { shift: 0, saturation: 1, lightness: 0 };

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

/** Sets the wash of the selected area to the hue of a place that is clicked. */
async function pickWash(place: Point) {
  const { scene, treatment } = useScene.getState();
  const area = areaOf(useAreas.getState().selected);
  if (!scene || !treatment || !area) return;
  const body = { place, radius: 8, document: treatment };
  const found = await toldHere(
    answered(api.POST("/api/scenes/{scene_id}/colour/pick", { params: { path: { scene_id: scene.id } }, body })),
  );
  if (!found) return;
  const hue = Math.round(apart(found.hue, treatment.wash.hue));
  const amount = area.bends["wash.amount"] || FIRST_WASH;
  preview((t) => withValue(t, ["areas", area.id, "bends"], { ...area.bends, "wash.hue": hue, "wash.amount": amount }));
  store("Colour of the wash");
}

/** Takes the colour of an area's wash from the picture. */
export const washPicker: Tool = {
  name: "washPicker",
  stations: ["areas"],
  label: "Picture: click the colour of the wash",
  cursor: () => "crosshair",
  Over: PickSquare,
  down: ({ scene, lay }) => {
    if (!lay.map.holds(scene)) return null;
    void pickWash(scene);
    useView.setState({ tool: "pan" });
    return null;
  },
};

/** Has the selected area bend the hues of a place: their range, which does nothing elsewhere if it is new. */
async function pickHue(place: Point) {
  const { selected } = useAreas.getState();
  const name = await pickRange(place);
  const area = areaOf(selected);
  if (name === undefined || !area) return;
  const ready = Object.fromEntries(Object.entries(OF_HUES).map(([dial, rest]) => [`hues.${name}.${dial}`, rest]));
  preview((t) => withValue(t, ["areas", area.id, "bends"], { ...ready, ...areaOf(area.id)?.bends }));
  store(`${name} within ${area.name}`);
}

/** Takes a hue from the picture, to be changed within the selected area alone. */
export const huePicker: Tool = {
  name: "huePicker",
  stations: ["areas"],
  label: "Picture: click the hue to change within the area",
  cursor: () => "crosshair",
  Over: PickSquare,
  down: ({ scene, lay }) => {
    if (!lay.map.holds(scene)) return null;
    void pickHue(scene);
    useView.setState({ tool: "pan" });
    return null;
  },
};
