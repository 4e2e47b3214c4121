import type { KeyboardEvent, RefObject } from "react";

import type { Tint } from "../api/client";
import { choose, removeItem, setItem } from "../state/colour";
import { hold, release, store } from "../state/scene";
import { useDrag } from "../useDrag";
import { number } from "../units";
import { useNudge } from "../useNudge";
import { ink, place, polarOf, radiusOf, saturationAt, turned } from "./polar";

interface Props {
  tint: Tint;
  index: number;
  chosen: boolean;
  most: number;
  svg: RefObject<SVGSVGElement | null>;
}

const MOST = 25;
const tenth = (v: number) => Math.round(v * 10) / 10;

/** A tint on the circle: its angle is the hue, its way from the middle the amount. The darker the tone, the darker the point. */
export function TintDot({ tint: t, index, chosen, most, svg }: Props) {
  const set = (values: Partial<Tint>) => setItem("points", index, values);
  const done = () => {
    release();
    store(t.name);
  };
  const drag = useDrag<object>({
    begin: () => {
      choose("points", t.name);
      hold();
      return {};
    },
    move: (_, e) => {
      const { hue, radius } = polarOf(e, svg.current!);
      set({ hue: Math.round(hue * 2) / 2, amount: tenth(Math.min(100 * saturationAt(radius, most), MOST)) });
    },
    end: done,
  });
  const nudge = useNudge(done);
  const key = (e: KeyboardEvent) => {
    const by = e.shiftKey ? 10 : 1;
    const values = {
      ArrowLeft: { hue: turned(t.hue, by) },
      ArrowRight: { hue: turned(t.hue, -by) },
      ArrowUp: { amount: Math.min(tenth(t.amount + by * 0.2), MOST) },
      ArrowDown: { amount: Math.max(tenth(t.amount - by * 0.2), 0) },
    }[e.key];
    if (values) {
      nudge(() => {
        hold();
        set(values);
      });
    } else if (e.key === "Delete" || e.key === "Backspace") removeItem("points", index);
    else return;
    e.preventDefault();
    e.stopPropagation();
  };
  const [x, y] = place(t.hue, radiusOf(t.amount / 100, most));
  const tone = Math.min(Math.max(1 + t.stop / 10, 0.15), 1);
  return (
    <g
      className={t.on ? "point" : "point off"}
      role="slider"
      tabIndex={0}
      aria-label={`Tint ${t.name}`}
      aria-valuenow={t.amount}
      aria-valuetext={`${number(t.hue, 1)}°, ${number(t.amount, 1)} % at ${number(t.stop, 2, true)} EV`}
      data-tint={t.name}
      {...drag}
      onKeyDown={key}
      onFocus={() => choose("points", t.name)}
    >
      <title>{t.name}</title>
      <circle cx={x} cy={y} r={10} fill="transparent" />
      <rect
        x={x - 4.5}
        y={y - 4.5}
        width={9}
        height={9}
        fill={ink(t.hue, t.amount ? 0.16 : 0, 0.25 + 0.6 * tone)}
        stroke="var(--crenn-palette-text-primary)"
        strokeWidth={chosen ? 2 : 1}
      />
    </g>
  );
}
