import { useScene } from "../state/scene";
import { useView } from "../state/view";
import { luminance, number } from "../units";
import { Folded } from "./Folded";

/** The lamps that were found in the scene, each to be looked at. */
export function Lamps() {
  const lamps = useScene((s) => s.scene?.report?.lamps) ?? [];
  const saturation = useScene((s) => s.scene?.automatic?.saturation ?? null);
  if (lamps.length === 0) return null;
  const look = (x: number, y: number) => {
    const { map } = useView.getState();
    if (map) useView.setState({ zoom: 1, centre: map.toPlane([x, y]) });
  };
  return (
    <Folded name="lamps" title="Lamps" aside={`${lamps.length} found`}>
      <p className="dim">They may burn out: automatic exposure and ends look at the rest.</p>
      <ol className="lamps">
        {lamps.map((lamp, i) => (
          <li key={i}>
            <button className="link" title="Look at it" onClick={() => look(lamp.x, lamp.y)}>
              {number(lamp.stop, 1, true)} EV
            </button>
            {saturation !== null && <span className="dim">{luminance(saturation * 2 ** lamp.stop)}</span>}
          </li>
        ))}
      </ol>
    </Folded>
  );
}
