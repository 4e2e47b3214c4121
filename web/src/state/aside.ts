import { create } from "zustand";

/** What stands beside the picture in place of the station's panel: the scene's history, presets, what steps do, or other scenes. */
export type Aside = "history" | "presets" | "steps" | "carry";

export const useAside = create<{ open: Aside | null }>(() => ({ open: null }));

/** Open one, or the station's panel again if it is open. */
export const toggleAside = (aside: Aside) => useAside.setState((s) => ({ open: s.open === aside ? null : aside }));
