import type { Step } from "../../api/client";
import { backToStart } from "../../state/changes";
import { preview, store } from "../../state/scene";

/** Puts steps back to what they were at the start, in one change. */
export function BackToStart({ of, steps }: { of: string; steps: readonly Step[] }) {
  return (
    <button
      className="quiet"
      aria-label="Back to the start"
      title={`${of} as it was at the start`}
      onClick={() => {
        preview((t) => backToStart(t, steps));
        store(`${of} back to the start`);
      }}
    >
      back
    </button>
  );
}
