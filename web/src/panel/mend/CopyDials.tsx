import { FormControlLabel, Switch } from "@mui/material";

import { useCopying } from "../../state/mend";

/** Where the copying brush copies from: the places chosen so far, and whether strokes keep the way to it. */
export function CopyDials() {
  const { places, at, aligned } = useCopying();
  return (
    <section aria-label="Copied from">
      {places.length === 0 ? (
        <p className="dim">Ctrl press on the picture: it is copied from there.</p>
      ) : (
        <div className="segment kept" role="group" aria-label="Places to copy from">
          {places.map((_, i) => (
            <button key={i} aria-pressed={i === at} onClick={() => useCopying.setState({ at: i, shift: null })}>
              from {i + 1}
            </button>
          ))}
        </div>
      )}
      <FormControlLabel
        control={
          <Switch
            size="small"
            checked={aligned}
            onChange={(e) => useCopying.setState({ aligned: e.target.checked, shift: null })}
          />
        }
        label="The way stays from stroke to stroke"
      />
    </section>
  );
}
