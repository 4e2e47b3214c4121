import type { KeyboardEvent } from "react";

import { useSteps } from "../api/queries";
import { held } from "../panel/dials";
import { hold, preview, release, store, useScene } from "../state/scene";
import { withValue } from "../state/values";
import { useView } from "../state/view";
import { number } from "../units";
import { useDrag } from "../useDrag";
import { glowOfStop, stopOfGlow } from "./glow";
import type { Scale } from "./scale";

const between = (low: number, v: number, high: number) => Math.min(high, Math.max(low, v));

/** The light from which on it spills over, as a mark on the stops: all above it glows. */
export function GlowMark({ scale, left, right }: { scale: Scale; left: number; right: number }) {
  const glow = useScene((s) => s.treatment?.glow);
  const lines = useView((s) => s.ladder);
  const tones = useView((s) => s.tones);
  const dial = useSteps()
    .data?.find((s) => s.name === "glow")
    ?.parameters.find((p) => p.name === "threshold");
  const stop = stopOfGlow(lines, tones, glow?.threshold ?? 0);
  const to = (value: number) => {
    if (dial?.kind === "dial") preview((t) => withValue(t, ["glow", "threshold"], held(dial, value)));
  };
  const drag = useDrag<{ y: number; from: number; lines: [number, number][]; tones: [number, number][] }>({
    begin: (e) => {
      hold();
      return { y: e.clientY, from: between(scale.top, scale.y(stop ?? 0), scale.bottom), lines, tones };
    },
    move: (start, e) => to(glowOfStop(start.lines, start.tones, scale.stopAt(start.from + e.clientY - start.y))),
    end: () => {
      release();
      store("Threshold of the glow");
    },
  });
  if (!glow?.on || !glow.amount || stop === null) return null;
  const key = (e: KeyboardEvent) => {
    const by = { ArrowUp: 0.1, ArrowDown: -0.1 }[e.key];
    if (by === undefined) return;
    to(glow.threshold + by * (e.shiftKey ? 5 : 1));
    store("Threshold of the glow");
    e.preventDefault();
    e.stopPropagation();
  };
  const y = between(scale.top, scale.y(stop), scale.bottom);
  return (
    <g
      className="handle"
      role="slider"
      tabIndex={0}
      aria-label="Threshold of the glow"
      aria-valuenow={glow.threshold}
      aria-valuetext={`${number(glow.threshold, 1, true)} EV above white`}
      data-testid="glow-mark"
      {...drag}
      onKeyDown={key}
    >
      <title>{`Light above ${number(stop, 1, true)} EV spills over`}</title>
      <rect x={left} y={scale.top} width={right - left} height={Math.max(y - scale.top, 0)} className="glows" />
      <rect x={left - 4} y={y - 7} width={right - left + 8} height={14} fill="transparent" />
      <line x1={left} x2={right} y1={y} y2={y} className="glow-line" />
      <circle cx={right} cy={y} r={4} className="glow-knob" />
    </g>
  );
}
