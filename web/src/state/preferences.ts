import { create } from "zustand";

import type { Ground } from "../theme";

const KEY = "crenn-ground";

function stored(): Ground {
  try {
    return localStorage.getItem(KEY) === "light" ? "light" : "dark";
  } catch {
    return "dark";
  }
}

/** What belongs to this browser, not to a scene. */
export const usePreferences = create<{ ground: Ground; setGround: (g: Ground) => void }>((set) => ({
  ground: stored(),
  setGround: (ground) => {
    set({ ground });
    try {
      localStorage.setItem(KEY, ground);
    } catch {
      // Without storage the choice lasts as long as the page.
    }
  },
}));
