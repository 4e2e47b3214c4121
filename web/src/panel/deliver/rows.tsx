import { Checkbox, MenuItem, Select } from "@mui/material";
import { useState } from "react";

/** One of some. */
export function ChoiceRow<T extends string | number>({
  label,
  value,
  choices,
  set,
}: {
  label: string;
  value: T;
  choices: Record<T, string> | [T, string][];
  set: (value: T) => void;
}) {
  const list = Array.isArray(choices) ? choices : (Object.entries(choices) as [T, string][]);
  return (
    <div className="choice">
      <span>{label}</span>
      <Select
        variant="standard"
        value={value}
        onChange={(e) => set(e.target.value as T)}
        inputProps={{ "aria-label": label }}
      >
        {list.map(([name, title]) => (
          <MenuItem key={name} value={name}>
            {title}
          </MenuItem>
        ))}
      </Select>
    </div>
  );
}

/** Yes or no. */
export function SwitchRow({
  label,
  title,
  on,
  set,
}: {
  label: string;
  title?: string;
  on: boolean;
  set: (on: boolean) => void;
}) {
  return (
    <label className="choice" title={title}>
      <span>{label}</span>
      <Checkbox
        color="default"
        size="small"
        checked={on}
        onChange={(e) => set(e.target.checked)}
        slotProps={{ input: { "aria-label": label } }}
      />
    </label>
  );
}

interface NumberProps {
  label: string;
  unit?: string;
  value: number | null;
  low: number;
  high: number;
  whole?: boolean;
  /** What stands there while nothing is said; then nothing may be. */
  nothing?: string;
  set: (value: number | null) => void;
}

/** A number that is typed; one that cannot be is marked, and not taken. */
export function NumberRow({ label, unit = "", value, low, high, whole = false, nothing, set }: NumberProps) {
  const [typed, setTyped] = useState<string | null>(null);
  const read = (text: string) => (text.trim() === "" ? null : Number(text.replace(",", ".")));
  const isRight = (n: number | null) =>
    n === null ? nothing !== undefined : n >= low && n <= high && (!whole || Number.isInteger(n));
  const wrong = typed !== null && !isRight(read(typed));
  return (
    <label className="choice">
      <span>{label}</span>
      <span>
        <input
          className="typed"
          aria-label={label}
          aria-invalid={wrong}
          title={`${whole ? "A whole number" : "A number"} from ${low} to ${high}${nothing ? `, or ${nothing}` : ""}`}
          inputMode="decimal"
          value={typed ?? value ?? ""}
          placeholder={nothing}
          onChange={(e) => {
            const next = read(e.target.value);
            setTyped(e.target.value);
            if (isRight(next)) set(next);
          }}
          onBlur={() => setTyped(null)}
        />{" "}
        {unit}
      </span>
    </label>
  );
}

/** A line of text. */
export function TextRow({ label, value, set }: { label: string; value: string; set: (value: string) => void }) {
  return (
    <label className="choice">
      <span>{label}</span>
      <input
        className="typed name"
        value={value}
        placeholder="none"
        maxLength={200}
        onChange={(e) => set(e.target.value)}
        onKeyDown={(e) => e.stopPropagation()}
      />
    </label>
  );
}
