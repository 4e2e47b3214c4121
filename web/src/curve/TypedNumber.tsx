import { useState } from "react";

import { number } from "../units";

/** A number that is typed: taken with Enter or on leaving, let be with Escape or if it is none. */
export function TypedNumber({
  label,
  value,
  decimals = 2,
  plus = true,
  onSet,
}: {
  label: string;
  value: number;
  decimals?: number;
  plus?: boolean;
  onSet: (value: number) => void;
}) {
  const [typed, setTyped] = useState<string | null>(null);
  const enter = () => {
    if (typed === null) return;
    const v = Number(typed.replace("\u2212", "-").replace(",", "."));
    setTyped(null);
    if (typed.trim() !== "" && Number.isFinite(v) && v !== value) onSet(v);
  };
  return (
    <input
      className="typed short"
      aria-label={label}
      value={typed ?? number(value, decimals, plus)}
      onFocus={(e) => e.target.select()}
      onChange={(e) => setTyped(e.target.value)}
      onBlur={enter}
      onKeyDown={(e) => {
        e.stopPropagation();
        if (e.key === "Enter") e.currentTarget.blur();
        if (e.key === "Escape") setTyped(null);
      }}
    />
  );
}
