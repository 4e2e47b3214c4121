import type { KeyboardEvent } from "react";

import { useDrag } from "../../useDrag";
import type { Point } from "../map";

/** What a drag does, in pixels of the pane: from where it began to where the pointer is. */
export type Mover = (from: Point, to: Point) => void;

interface Props {
  label: string;
  /** Its line or area, as SVG writes it. */
  d: string;
  cursor: string;
  /** Taken by its inside as well as by its line. */
  filled?: boolean;
  /** Where its keys take it, in pixels of the pane. */
  anchor: Point;
  className?: string;
  grab: () => Mover;
  drop: () => void;
}

const KEYS: Record<string, Point> = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] };
/** Pixels that a key moves a grip, and with Shift. */
const NUDGE = 2;
const LARGE = 20;

/** Something over the picture that can be taken and moved, by pointer or by arrow keys. */
export function Grip({ label, d, cursor, filled, anchor, className, grab, drop }: Props) {
  const drag = useDrag<{ from: Point; mover: Mover; box: DOMRect }>({
    begin: (e) => {
      const box = (e.currentTarget as SVGElement).ownerSVGElement!.getBoundingClientRect();
      return { box, from: [e.clientX - box.left, e.clientY - box.top], mover: grab() };
    },
    move: ({ from, mover, box }, e) => mover(from, [e.clientX - box.left, e.clientY - box.top]),
    end: drop,
  });
  const key = (e: KeyboardEvent) => {
    const way = KEYS[e.key];
    if (!way) return;
    const by = e.shiftKey ? LARGE : NUDGE;
    grab()(anchor, [anchor[0] + way[0] * by, anchor[1] + way[1] * by]);
    drop();
    e.preventDefault();
    e.stopPropagation();
  };
  return (
    <g
      className={`grip ${filled ? "filled" : ""} ${className ?? ""}`}
      style={{ cursor }}
      role="button"
      tabIndex={0}
      aria-label={label}
      onKeyDown={key}
      {...drag}
    >
      <path className="hit" d={d} />
      <path className="under" d={d} />
      <path className="line" d={d} />
    </g>
  );
}
