import { create } from "zustand";
import { persist } from "zustand/middleware";

import type { ViewName } from "../names";

/** How a mask is seen while it is made or painted, in the order in which a key goes through them. */
export const WAYS = {
  contours: "contours",
  grey: "grey outside",
  mask: "mask alone",
  wash: "a wash",
  nothing: "nothing",
} as const;
export type MaskWay = keyof typeof WAYS;

const VIEWS: Record<MaskWay, ViewName> = {
  contours: "contours",
  grey: "area",
  mask: "mask",
  wash: "wash",
  nothing: "picture",
};
/** What a wash is in until a colour is chosen. */
const UNCHOSEN = "#d08030";

interface MaskShown {
  way: MaskWay;
  /** Colour of the wash, as CSS writes it; none until one is chosen. */
  ink: string | null;
}

export const useMaskShown = create<MaskShown>()(
  persist((): MaskShown => ({ way: "contours", ink: null }), { name: "crenn-mask-shown" }),
);

/** The view that shows a mask in the way chosen. */
export const viewOfMask = (way: MaskWay) => VIEWS[way];

/** The colour of the wash. */
export const inkOf = (ink: string | null) => ink ?? UNCHOSEN;

/** Its sRGB codes. */
export const codesOf = (ink: string | null): [number, number, number] => {
  const number = parseInt(inkOf(ink).slice(1), 16);
  return [(number >> 16) & 255, (number >> 8) & 255, number & 255];
};

/** The next way; a wash is passed over until a colour was chosen for it. */
export function nextMaskWay() {
  const { way, ink } = useMaskShown.getState();
  const ways = (Object.keys(WAYS) as MaskWay[]).filter((w) => w !== "wash" || ink !== null);
  useMaskShown.setState({ way: ways[(ways.indexOf(way) + 1) % ways.length] });
}
