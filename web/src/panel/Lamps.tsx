import { toggle, useFolding } from "../state/folding";
import { useScene } from "../state/scene";
import { useView } from "../state/view";
import { luminance, number } from "../units";

/** The lamps that were found in the scene, each to be looked at. */
export function Lamps() {
  const lamps = useScene((s) => s.scene?.report?.lamps) ?? [];
  const saturation = useScene((s) => s.scene?.automatic?.saturation ?? null);
  const open = useFolding((s) => s.open.lamps ?? false);
  if (lamps.length === 0) return null;
  const look = (x: number, y: number) => {
    const { map } = useView.getState();
    if (map) useView.setState({ zoom: 1, centre: map.toPlane([x, y]) });
  };
  return (
    <section className="step" aria-label="Lamps">
      <h3 className="group">
        <button aria-expanded={open} aria-controls="lamps" onClick={() => toggle("lamps", !open)}>
          Lamps
          <span className="count">{lamps.length} found</span>
        </button>
      </h3>
      {open && (
        <div id="lamps">
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
        </div>
      )}
    </section>
  );
}
