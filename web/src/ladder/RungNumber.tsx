import { useEffect, useRef, useState } from "react";

interface Props {
  x: number;
  y: number;
  label: string;
  /** What stands in it at first. */
  value: string;
  /** Told once: the number, or null if there is none or it was let be. */
  onSet: (value: number | null) => void;
}

/** A number typed on the ladder: taken with Enter or on leaving, let be with Escape. */
export function RungNumber({ x, y, label, value, onSet }: Props) {
  const [typed, setTyped] = useState(value);
  const box = useRef<HTMLInputElement>(null);
  const done = useRef(false);
  const end = (to: number | null) => {
    if (done.current) return;
    done.current = true;
    onSet(to);
  };
  const enter = () => {
    const v = Number(typed.replace("\u2212", "-").replace(",", "."));
    end(typed.trim() !== "" && Number.isFinite(v) ? v : null);
  };
  useEffect(() => {
    box.current?.focus();
    if (value.length > 1) box.current?.select();
  }, [value]);
  return (
    <foreignObject x={x} y={y} width={54} height={22}>
      <input
        ref={box}
        className="typed short"
        aria-label={label}
        value={typed}
        onChange={(e) => setTyped(e.target.value)}
        onBlur={enter}
        onPointerDown={(e) => e.stopPropagation()}
        onKeyDown={(e) => {
          e.stopPropagation();
          if (e.key === "Enter") enter();
          if (e.key === "Escape") end(null);
        }}
      />
    </foreignObject>
  );
}
