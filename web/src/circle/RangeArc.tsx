import type { KeyboardEvent, RefObject } from "react";

import type { HueRange } from "../api/client";
import { choose, removeItem, setItem } from "../state/colour";
import { hold, release, store } from "../state/scene";
import { useDrag } from "../useDrag";
import { number } from "../units";
import { useNudge } from "../useNudge";
import { apart, arcPath, ink, place, polarOf, RING, turned } from "./polar";

interface Props {
  range: HueRange;
  index: number;
  chosen: boolean;
  svg: RefObject<SVGSVGElement | null>;
}

const LEAST = 5;
const WIDEST = 300;
const half = (v: number) => Math.round(v * 2) / 2;

/** A range of hues as an arc: what is taken fully is thick, its soft ends are thin; moved by its middle, widened by its ends. */
export function RangeArc({ range: r, index, chosen, svg }: Props) {
  const set = (values: Partial<HueRange>) => setItem("ranges", index, values);
  const done = () => {
    release();
    store(r.name);
  };
  const begin = () => {
    choose("ranges", r.name);
    hold("range");
  };
  const move = useDrag<{ from: number; hue: number }>({
    begin: (e) => {
      begin();
      return { from: polarOf(e, svg.current!).hue, hue: r.hue };
    },
    move: (start, e) => set({ hue: half(turned(start.hue, apart(polarOf(e, svg.current!).hue, start.from))) }),
    end: done,
  });
  const widen = useDrag<object>({
    begin: () => {
      begin();
      return {};
    },
    move: (_, e) =>
      set({
        width: Math.round(Math.min(Math.max(2 * Math.abs(apart(polarOf(e, svg.current!).hue, r.hue)), LEAST), WIDEST)),
      }),
    end: done,
  });
  const rest = useNudge(done);
  const nudge = (values: Partial<HueRange>) =>
    rest(() => {
      begin();
      set(values);
    });
  const key = (e: KeyboardEvent) => {
    const by = e.shiftKey ? 10 : 1;
    if (e.key === "ArrowLeft") nudge({ hue: turned(r.hue, by) });
    else if (e.key === "ArrowRight") nudge({ hue: turned(r.hue, -by) });
    else if (e.key === "ArrowUp") nudge({ width: Math.min(r.width + by, WIDEST) });
    else if (e.key === "ArrowDown") nudge({ width: Math.max(r.width - by, LEAST) });
    else if (e.key === "Delete" || e.key === "Backspace") removeItem("ranges", index);
    else return;
    e.preventDefault();
    e.stopPropagation();
  };
  const [low, high] = [r.hue - r.width / 2, r.hue + r.width / 2];
  const edge = Math.min(r.soft, (360 - r.width) / 2);
  const ends = [low, high];
  const to = place(turned(r.hue, r.shift), RING + 11);
  return (
    <g className={r.on ? "range" : "range off"} data-range={r.name}>
      {chosen && (
        <g pointerEvents="none" stroke={ink(r.hue)} fill="none" strokeWidth={1}>
          <path d={arcPath(low - edge, low, RING)} opacity={0.7} />
          <path d={arcPath(high, high + edge, RING)} opacity={0.7} />
        </g>
      )}
      {r.shift !== 0 && (
        <g pointerEvents="none" fill="none" stroke={ink(turned(r.hue, r.shift))} strokeWidth={1.5}>
          <path d={arcPath(Math.min(r.hue, r.hue + r.shift), Math.max(r.hue, r.hue + r.shift), RING + 11)} />
          <circle cx={to[0]} cy={to[1]} r={2.5} fill={ink(turned(r.hue, r.shift))} />
        </g>
      )}
      <path
        d={arcPath(low, high, RING)}
        fill="none"
        stroke={ink(r.hue)}
        strokeWidth={chosen ? 7 : 4}
        pointerEvents="none"
      />
      <g
        className="point"
        role="slider"
        tabIndex={0}
        aria-label={`Range ${r.name}`}
        aria-valuenow={r.hue}
        aria-valuetext={`${number(r.hue, 1)}°, ${number(r.width, 0)}° wide`}
        {...move}
        onKeyDown={key}
        onFocus={() => choose("ranges", r.name)}
      >
        <title>{r.name}</title>
        <path d={arcPath(low, high, RING)} fill="none" stroke="transparent" strokeWidth={18} />
        <circle
          cx={place(r.hue, RING)[0]}
          cy={place(r.hue, RING)[1]}
          r={chosen ? 4 : 2.5}
          fill="var(--crenn-palette-background-paper)"
          stroke="var(--crenn-palette-text-primary)"
          strokeWidth={chosen ? 1.5 : 0.75}
        />
      </g>
      {chosen &&
        ends.map((at, i) => (
          // Told apart by its side: what moves while it is dragged must stay the same element.
          <g key={i} className="point" data-end {...widen}>
            <circle cx={place(at, RING)[0]} cy={place(at, RING)[1]} r={9} fill="transparent" />
            <path
              d={`M ${place(at, RING - 6).join(" ")} L ${place(at, RING + 6).join(" ")}`}
              stroke="var(--crenn-palette-text-primary)"
              strokeWidth={2}
            />
          </g>
        ))}
    </g>
  );
}
