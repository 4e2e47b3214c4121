import { answered, api } from "../../api/client";
import { told } from "../../state/messages";
import { preview, store, useScene } from "../../state/scene";
import { useView } from "../../state/view";
import type { Point } from "../map";
import type { Tool } from "./tool";

/** Radius of the patch that is measured, in full-size pixels. */
const RADIUS = 12;

async function balance(place: Point) {
  const scene = useScene.getState().scene;
  if (!scene) return;
  const where = { params: { path: { scene_id: scene.id } }, body: { place, radius: RADIUS } };
  const white = await told(answered(api.POST("/api/scenes/{scene_id}/neutral", where)));
  if (!white) return;
  preview((t) => ({ ...t, white_balance: { ...t.white_balance, temperature: white.temperature, tint: white.tint } }));
  store("White balance from a neutral patch");
  useView.setState({ tool: "pan" });
}

/** Takes the white balance from a patch that is clicked. */
export const neutral: Tool = {
  name: "neutral",
  stations: ["light"],
  label: "Picture: click a grey or white place",
  cursor: () => "crosshair",
  down: ({ scene, lay }) => {
    if (lay.map.holds(scene)) void balance(scene);
    return null;
  },
};
