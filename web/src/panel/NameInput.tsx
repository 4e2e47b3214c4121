import { useState } from "react";

interface Props {
  label: string;
  name: string;
  longest: number;
  className?: string;
  placeholder?: string;
  /** Takes a new name; false if it cannot be. */
  onName: (name: string) => boolean;
}

/** A name, to be typed over: taken with Enter or on leaving, let be with Escape, or if it cannot be. */
export function NameInput({ label, name, longest, className = "", placeholder, onName }: Props) {
  const [typed, setTyped] = useState(name);
  const keep = () => {
    const wanted = typed.trim().slice(0, longest);
    if (wanted === name || !wanted || !onName(wanted)) setTyped(name);
  };
  return (
    <input
      className={`typed name ${className}`}
      aria-label={label}
      placeholder={placeholder}
      value={typed}
      maxLength={longest}
      onChange={(e) => setTyped(e.target.value)}
      onBlur={keep}
      onKeyDown={(e) => {
        e.stopPropagation();
        if (e.key === "Enter") {
          // Whatever gets the focus then is not pressed by it.
          e.preventDefault();
          e.currentTarget.blur();
        }
        if (e.key === "Escape") setTyped(name);
      }}
    />
  );
}
