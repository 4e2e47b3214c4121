import { preview, store, useScene } from "../state/scene";
import { numberAt, withValue } from "../state/values";

const set = (path: string, value: number | null) => preview((t) => withValue(t, path.split("."), value));

/** Starting points: each sets what would else be automatic; the first leaves it so. */
export function Starts() {
  const starts = useScene((s) => s.scene?.automatic?.starts ?? []);
  const treatment = useScene((s) => s.treatment);
  if (!treatment || starts.length === 0) return null;
  const at = (path: string) => numberAt(treatment, path.split("."));
  const start = (index: number) => {
    const { title, values, others } = starts[index];
    // Dials that another starting point has set go back to rest; those that were turned by hand stay.
    for (const [path, rest] of Object.entries(others))
      if (starts.some((other) => other.values[path] === at(path))) set(path, rest);
    for (const [path, value] of Object.entries(values)) set(path, index === 0 ? null : value);
    store(`Start: ${title}`);
  };
  // Colour may be chosen apart from tones, so that whether a start is begun does not hang on it.
  const begun = (index: number) =>
    Object.entries(starts[index].values).every(
      ([path, value]) => starts[index].colours.includes(path) || at(path) === (index === 0 ? null : value),
    );
  // A camera whose picture has the colours that were measured leaves nothing to choose.
  const shown = starts.find(({ values, colours }) =>
    colours.some((path) => values[path] !== (starts[0].others[path] ?? null)),
  );
  const colour = (asShown: boolean) => {
    if (!shown) return;
    for (const path of shown.colours) set(path, asShown ? shown.values[path] : (starts[0].others[path] ?? null));
    store(asShown ? "Colour as the camera showed" : "Colour as measured");
  };
  const coloured = (asShown: boolean) =>
    shown?.colours.every((path) => at(path) === (asShown ? shown.values[path] : (starts[0].others[path] ?? null)));
  return (
    <div className="starts">
      <div className="segment small" role="group" aria-label="Start from">
        {starts.map(({ name, title, help }, i) => (
          <button key={name} aria-pressed={begun(i)} title={help} onClick={() => start(i)}>
            {title}
          </button>
        ))}
      </div>
      {shown && (
        <div className="choice">
          <span>Colour</span>
          <div className="segment small" role="group" aria-label="Colour">
            <button
              aria-pressed={coloured(false)}
              title="Colour by what the sensor measured; sets saturation and primaries"
              onClick={() => colour(false)}
            >
              As measured
            </button>
            <button
              aria-pressed={coloured(true)}
              title="Saturation and primaries as in the camera’s own picture, whatever the tones; they are seen at Colour"
              onClick={() => colour(true)}
            >
              As shown
            </button>
          </div>
        </div>
      )}
    </div>
  );
}
