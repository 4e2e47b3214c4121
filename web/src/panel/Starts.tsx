import { preview, store, useScene } from "../state/scene";
import { numberAt, withValue } from "../state/values";

/** Starting points: each sets what would else be automatic; the first leaves it so. */
export function Starts() {
  const starts = useScene((s) => s.scene?.automatic?.starts ?? []);
  const treatment = useScene((s) => s.treatment);
  if (!treatment || starts.length === 0) return null;
  const set = (path: string, value: number | null) => preview((t) => withValue(t, path.split("."), value));
  const start = (index: number) => {
    const { title, values, others } = starts[index];
    // Dials that another starting point has set go back to rest; those that were turned by hand stay.
    for (const [path, rest] of Object.entries(others))
      if (starts.some((other) => other.values[path] === numberAt(treatment, path.split(".")))) set(path, rest);
    for (const [path, value] of Object.entries(values)) set(path, index === 0 ? null : value);
    store(`Start: ${title}`);
  };
  const begun = (index: number) =>
    Object.entries(starts[index].values).every(
      ([path, value]) => numberAt(treatment, path.split(".")) === (index === 0 ? null : value),
    );
  return (
    <div className="starts">
      <div className="segment" role="group" aria-label="Start from">
        {starts.map(({ name, title, help }, i) => (
          <button key={name} aria-pressed={begun(i)} title={help} onClick={() => start(i)}>
            {title}
          </button>
        ))}
      </div>
    </div>
  );
}
