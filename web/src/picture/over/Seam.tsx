import type { KeyboardEvent } from "react";

import { useCompare } from "../../state/compare";
import { useDrag } from "../../useDrag";

/** Length of the arm that turns the seam, in pixels, and by how many degrees and shares of the pane keys move it. */
const ARM = 46;
const TURN = 5;
const NUDGE = 0.01;
/** Angles so near to standing or lying are it, in degrees. */
const SNAPS = 4;

const within = (v: number) => Math.min(0.98, Math.max(0.02, v));

/** A seam between two pictures, with a grip that moves it and one that turns it; a double click lets it lie or stand. */
export function Seam({ width, height }: { width: number; height: number }) {
  const seam = useCompare((s) => s.seam);
  const set = (change: Partial<typeof seam>) => useCompare.setState((s) => ({ seam: { ...s.seam, ...change } }));
  const [x, y] = [seam.x * width, seam.y * height];
  const angle = (seam.angle * Math.PI) / 180;
  const [ax, ay] = [Math.sin(angle), Math.cos(angle)];
  const far = Math.hypot(width, height);
  const box = (e: { currentTarget: Element }) =>
    (e.currentTarget as SVGElement).ownerSVGElement!.getBoundingClientRect();
  const move = useDrag<DOMRect>({
    begin: (e) => box(e),
    move: (pane, e) => set({ x: within((e.clientX - pane.left) / width), y: within((e.clientY - pane.top) / height) }),
    end: () => {},
  });
  const turn = useDrag<DOMRect>({
    begin: (e) => box(e),
    move: (pane, e) => {
      const way = Math.atan2(e.clientX - pane.left - x, e.clientY - pane.top - y);
      const degrees = ((way * 180) / Math.PI + 360) % 360;
      const nearest = Math.round(degrees / 90) * 90;
      set({ angle: Math.abs(degrees - nearest) < SNAPS ? nearest % 360 : degrees });
    },
    end: () => {},
  });
  const key = (e: KeyboardEvent) => {
    const way = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] }[e.key];
    if (!way) return;
    if (e.shiftKey) set({ angle: (seam.angle + TURN * (way[0] + way[1]) + 360) % 360 });
    else set({ x: within(seam.x + way[0] * NUDGE), y: within(seam.y + way[1] * NUDGE) });
    e.preventDefault();
    e.stopPropagation();
  };
  return (
    <svg className="over seam" width={width} height={height}>
      <line x1={x - ax * far} y1={y - ay * far} x2={x + ax * far} y2={y + ay * far} className="under" />
      <line x1={x - ax * far} y1={y - ay * far} x2={x + ax * far} y2={y + ay * far} className="line" />
      <g
        role="button"
        tabIndex={0}
        aria-label="Seam between the pictures: moves it, with Shift turns it"
        className="seam-grip"
        onKeyDown={key}
        onDoubleClick={() => set({ angle: seam.angle === 0 ? 90 : 0 })}
        {...move}
      >
        <title>Drag to move the seam; a double click lets it lie or stand</title>
        <rect x={x - 11} y={y - 11} width={22} height={22} rx={3} />
        <path d={`M ${x - 5} ${y - 5} V ${y + 5} M ${x} ${y - 5} V ${y + 5} M ${x + 5} ${y - 5} V ${y + 5}`} />
      </g>
      <g role="button" aria-label="Turns the seam" className="seam-grip turns" {...turn}>
        <title>Drag to turn the seam</title>
        <circle cx={x + ax * ARM} cy={y + ay * ARM} r={8} className="hit" />
        <circle cx={x + ax * ARM} cy={y + ay * ARM} r={4} />
      </g>
    </svg>
  );
}
