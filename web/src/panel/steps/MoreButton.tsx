import type { Step } from "../../api/client";
import { toggle, useFolding } from "../../state/folding";
import { useScene } from "../../state/scene";
import { valueAt } from "../../state/values";

/** Unfolds what of a step is not usual, and says meanwhile how much of it is changed. */
export function MoreButton({ step, others }: { step: Step; others: Step["parameters"] }) {
  const name = `${step.name}.more`;
  const open = useFolding((s) => s.open[name] ?? false);
  const count = useScene(
    (s) => others.filter((p) => s.treatment && valueAt(s.treatment, [p.step, p.name]) !== p.default).length,
  );
  return (
    <button
      className="quiet unfold"
      aria-expanded={open}
      aria-label={`${open ? "less" : count ? `${count} more` : "more"} of ${step.title}`}
      title={others.map((p) => p.title).join(", ")}
      onClick={() => toggle(name, !open)}
    >
      {open ? "less" : count ? `${count} more` : "more"}
    </button>
  );
}
