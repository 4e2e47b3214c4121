import { preview, store, useScene } from "../state/scene";
import { numberAt, withValue } from "../state/values";

/** Starting points: each sets what would else be automatic; the first leaves it so. */
export function Starts() {
  const starts = useScene((s) => s.scene?.automatic?.starts ?? []);
  const treatment = useScene((s) => s.treatment);
  if (!treatment || starts.length === 0) return null;
  const set = (path: string, value: number | null) => preview((t) => withValue(t, path.split("."), value));
  const begun = (index: number) =>
    Object.entries(starts[index].values).every(
      ([path, value]) => numberAt(treatment, path.split(".")) === (index === 0 ? null : value),
    );
  return (
    <div className="starts">
      <div className="segment" role="group" aria-label="Start from">
        {starts.map((start, i) => (
          <button
            key={start.name}
            aria-pressed={begun(i)}
            title={start.help}
            onClick={() => {
              for (const [path, value] of Object.entries(start.values)) set(path, i === 0 ? null : value);
              store(`Start: ${start.title}`);
            }}
          >
            {start.title}
          </button>
        ))}
      </div>
    </div>
  );
}
