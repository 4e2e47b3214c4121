import { create } from "zustand";

/** Where the ladder's drawing lies on the page, in pixels: what stands beside it goes by its stops. */
export const useLadderBox = create<{ right: number; top: number; height: number }>(() => ({
  right: 0,
  top: 80,
  height: 640,
}));

/** Take the box of the drawing; one that is hidden leaves its height behind. */
export function measureLadder(svg: SVGSVGElement) {
  const { right, top, height } = svg.getBoundingClientRect();
  useLadderBox.setState(height ? { right, top, height: Math.max(height, 200) } : { right: 0 });
}
