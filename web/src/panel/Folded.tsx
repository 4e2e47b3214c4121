import type { ReactNode } from "react";

import { toggle, useFolding } from "../state/folding";

/** What is folded away under a heading until it is opened; `aside` says what is in it meanwhile. */
export function Folded({
  name,
  title,
  aside,
  children,
}: {
  name: string;
  title: string;
  aside?: string;
  children: ReactNode;
}) {
  const open = useFolding((s) => s.open[name] ?? false);
  return (
    <section aria-label={title} className="step">
      <div className="group">
        <h3>
          <button aria-expanded={open} aria-controls={name} onClick={() => toggle(name, !open)}>
            {title}
            {!open && aside && <span className="count">{aside}</span>}
          </button>
        </h3>
      </div>
      {open && <div id={name}>{children}</div>}
    </section>
  );
}
