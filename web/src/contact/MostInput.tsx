import { useState } from "react";

const GB = 1e9;

/** Bytes from what is typed in GB: null where nothing is, undefined where it is no number that can be. */
export function bytesTyped(text: string): number | null | undefined {
  const plain = text.trim().replace(",", ".");
  if (plain === "") return null;
  const value = Number(plain);
  return Number.isFinite(value) && value >= 0 && value <= 1e6 ? Math.round(value * GB) : undefined;
}

/** How many GB something may take; empty where as many as there are. */
export function MostInput({
  label,
  most,
  onMost,
}: {
  label: string;
  most: number | null;
  onMost: (most: number | null) => void;
}) {
  const [text, setText] = useState(most === null ? "" : String(most / GB));
  const typed = bytesTyped(text);
  const done = () => typed !== undefined && typed !== most && onMost(typed);
  return (
    <label className="most">
      <input
        className="typed"
        aria-label={label}
        aria-invalid={typed === undefined}
        inputMode="decimal"
        placeholder="any"
        value={text}
        onChange={(e) => setText(e.target.value)}
        onBlur={done}
        onKeyDown={(e) => e.key === "Enter" && done()}
      />
      GB
    </label>
  );
}
