import { hold, preview, release, store, useScene } from "../../state/scene";
import { withValue } from "../../state/values";
import type { Point } from "../map";
import { onPane, sceneFromPane, sceneOnPane, useViewport } from "../viewport";
import { Grip } from "./Grip";

/** Half the length of its arms, in pixels of the pane. */
const ARM = 9;

/** The middle of the vignette, while there is one: a cross that is moved. */
export default function VignetteCentre() {
  const vignette = useScene((s) => s.treatment?.vignette);
  const lay = useViewport();
  if (!vignette?.on || !(vignette.amount || vignette.inside || vignette.haze)) return null;
  const { width, height } = lay.map.size;
  const [x, y] = vignette.centre ? sceneOnPane(lay, vignette.centre as Point) : onPane(lay, [width / 2, height / 2]);
  const grab = () => {
    hold();
    return (from: Point, to: Point) => {
      const [u, v] = sceneFromPane(lay, [x + to[0] - from[0], y + to[1] - from[1]]);
      const held = (share: number) => Math.min(4, Math.max(-4, share));
      preview((t) => withValue(t, ["vignette", "centre"], [held(u), held(v)]));
    };
  };
  const drop = () => {
    release();
    store("Middle of the vignette");
  };
  return (
    <Grip
      label="Middle of the vignette: moves it"
      d={`M ${x - ARM} ${y} H ${x + ARM} M ${x} ${y - ARM} V ${y + ARM}`}
      cursor="move"
      anchor={[x, y]}
      grab={grab}
      drop={drop}
    />
  );
}
