import { create } from "zustand";
import { persist } from "zustand/middleware";

/** What stands beside the picture, each of which can be out of the way. */
export type Side = "ladder" | "panel" | "lines";

interface Room {
  hidden: Record<Side, boolean>;
}

/** What is out of the way; remembered by the browser. */
export const useRoom = create<Room>()(
  persist((): Room => ({ hidden: { ladder: false, panel: false, lines: false } }), { name: "crenn-room", version: 1 }),
);

/** Put sides out of the way, or all of them back if they are. */
export function toggleSides(...sides: Side[]) {
  // What has the focus would keep its side open.
  if (typeof document !== "undefined" && document.activeElement instanceof HTMLElement) document.activeElement.blur();
  useRoom.setState(({ hidden }) => {
    const away = !sides.every((side) => hidden[side]);
    return { hidden: { ...hidden, ...Object.fromEntries(sides.map((side) => [side, away])) } };
  });
}
