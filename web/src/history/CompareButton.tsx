import { compareState, useCompare } from "../state/compare";
import { unsee } from "../state/history";

/** Compares the present picture with a state, or no longer. */
export function CompareButton({ revision, title }: { revision: number; title: string }) {
  const on = useCompare((s) => s.others.some((o) => o.key === `state-${revision}`));
  return (
    <button
      aria-pressed={on}
      aria-label={`Compare with ${title}`}
      onClick={(e) => {
        e.stopPropagation();
        unsee();
        void compareState(revision, title);
      }}
    >
      compare
    </button>
  );
}
