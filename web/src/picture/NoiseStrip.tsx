import { useEffect, useRef, useState } from "react";

import type { Treatment } from "../api/client";
import { ViewLine } from "../api/viewLine";
import { preview, store } from "../state/scene";
import { patchOf, sideOf, STRENGTHS, useStrip } from "../state/strip";
import { withValue } from "../state/values";
import { number } from "../units";
import type { Size } from "./geometry";
import { drawOn, messageOf } from "./message";
import type { useShown } from "./useWanted";

/** A treatment with noise reduction at a strength, of luminance and colour alike. */
function atStrength(treatment: Treatment, strength: number): Treatment {
  const both = withValue(withValue(treatment, ["noise", "luminance"], strength), ["noise", "colour"], strength);
  return withValue(both, ["noise", "on"], true);
}

/** One patch at 100 %, at several strengths side by side: a click takes one. */
export function NoiseStrip({ shown, size, width }: { shown: ReturnType<typeof useShown>; size: Size; width: number }) {
  const at = useStrip((s) => s.at);
  const canvases = useRef<(HTMLCanvasElement | null)[]>([]);
  const line = useRef<ViewLine | null>(null);
  const asked = useRef(0);
  const [drawn, setDrawn] = useState(0);
  const dots = window.devicePixelRatio || 1;
  const side = sideOf(width);
  const treatment = shown?.treatment;
  const own = treatment && treatment.noise.luminance === treatment.noise.colour ? treatment.noise.luminance : null;
  const prepared = shown?.prepared;
  // All but the strengths themselves, which each patch has its own of.
  const like = treatment ? JSON.stringify(atStrength(treatment, 1)) : "";

  useEffect(() => {
    if (!prepared || !like || side < 20) return;
    const base = JSON.parse(like) as Treatment;
    const part = patchOf(at, size, Math.round(side * dots));
    let next = 0;
    const ask = () => {
      if (next >= STRENGTHS.length) return;
      const wanted = {
        prepared,
        treatment: atStrength(base, STRENGTHS[next]),
        uncropped: false,
        view: "picture",
        part,
        out_width: part[2],
        out_height: part[3],
        most: 1,
        coarse: false,
      };
      line.current?.send({ ...wanted, number: asked.current * 10 + next });
    };
    asked.current += 1;
    const receive = async (data: ArrayBuffer) => {
      const { header, jpeg } = messageOf<{ number: number }>(data);
      const index = header.number - asked.current * 10;
      if (index === next) {
        next += 1;
        ask();
      }
      if (await drawOn(() => canvases.current[index], jpeg)) setDrawn((n) => n + 1);
    };
    const own = new ViewLine(
      (data) => void receive(data),
      () => {},
      (open) => open && ask(),
    );
    line.current = own;
    return () => own.close();
  }, [prepared, like, at, size, side, dots]);

  const take = (strength: number) => {
    preview((t) => atStrength(t, strength));
    store(`Noise × ${number(strength, 1)}`);
  };

  return (
    <div
      className="strip"
      role="group"
      aria-label="The patch at several strengths"
      data-testid="strip"
      data-drawn={drawn}
    >
      {STRENGTHS.map((strength, i) => (
        <button
          key={strength}
          aria-pressed={own === strength}
          title="Take this strength"
          onClick={() => take(strength)}
        >
          <canvas
            ref={(c) => {
              canvases.current[i] = c;
            }}
            style={{ width: side, height: side }}
          />
          <span>{strength === 0 ? "as it is" : `× ${number(strength, 1)}`}</span>
        </button>
      ))}
    </div>
  );
}
