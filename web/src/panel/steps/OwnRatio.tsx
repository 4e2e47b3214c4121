import { useState } from "react";

import { preview, store, useScene } from "../../state/scene";
import { forgetRatio, keepRatio, LONGEST, takeRatio, useRatios } from "../../state/ratios";
import { withValue } from "../../state/values";

/** The two sides of a ratio of one's own, typed where it is chosen; and those that were kept by name. */
export function OwnRatio() {
  const chosen = useScene((s) => s.treatment?.crop.ratio === "own");
  const own = useScene((s) => s.treatment?.crop.own);
  const kept = useRatios((s) => s.kept);
  const [name, setName] = useState("");
  if (!own) return null;
  const type = (index: number, text: string) => {
    const value = Number(text.replace(",", "."));
    if (!(value >= 0.01 && value <= 1000) || value === own[index]) return;
    preview((t) => withValue(t, ["crop", "own", index], value));
    store("Own ratio");
  };
  const keep = () => {
    keepRatio(name, [own[0], own[1]]);
    setName("");
  };
  return (
    <>
      {kept.length > 0 && (
        <div className="segment kept" role="group" aria-label="Ratios kept">
          {kept.map((ratio) => (
            <button
              key={ratio.name}
              aria-pressed={chosen && ratio.sides.every((side, i) => side === own[i])}
              title={`${ratio.sides[0]} : ${ratio.sides[1]}; with Alt it is forgotten`}
              onClick={(e) => (e.altKey ? forgetRatio(ratio.name) : takeRatio(ratio))}
            >
              {ratio.name}
            </button>
          ))}
        </div>
      )}
      {chosen && (
        <div className="choice">
          <span>Own ratio</span>
          <span className="own">
            {own.map((side, i) => (
              <input
                key={`${i} ${side}`}
                className="typed"
                aria-label={i === 0 ? "One side of the ratio" : "Other side of the ratio"}
                defaultValue={side}
                onBlur={(e) => type(i, e.target.value)}
                onKeyDown={(e) => {
                  e.stopPropagation();
                  if (e.key === "Enter") e.currentTarget.blur();
                }}
              />
            ))}
          </span>
        </div>
      )}
      {chosen && (
        <div className="choice">
          <span>Keep it as</span>
          <input
            className="typed"
            aria-label="Name of the ratio"
            maxLength={LONGEST}
            value={name}
            onChange={(e) => setName(e.target.value)}
            onBlur={keep}
            onKeyDown={(e) => {
              e.stopPropagation();
              if (e.key === "Enter") e.currentTarget.blur();
              if (e.key === "Escape") setName("");
            }}
          />
        </div>
      )}
    </>
  );
}
