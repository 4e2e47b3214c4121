import { useEffect } from "react";
import { useNavigate } from "react-router-dom";
import { tinykeys } from "tinykeys";

import { useSteps } from "../api/queries";
import { KEYS } from "./keys";
import type { StationName } from "../names";

type Bindings = Record<string, (e: KeyboardEvent) => void>;

const TYPING = "input:not([type=checkbox]), textarea, [role=dialog], [role=listbox].MuiList-root";

/** Let the keys of `KEYS` do what they say, but where something is typed. */
export function useKeys(station: StationName, showKeys: () => void) {
  const go = useNavigate();
  const steps = useSteps().data;
  useEffect(() => {
    const context = { station, go, showKeys, steps: () => steps ?? [] };
    const typing = (e: KeyboardEvent) => (e.target as Element).closest(TYPING) !== null;
    const usable = KEYS.filter((k) => k.station === undefined || k.station === station);
    const down: Bindings = {};
    const up: Bindings = {};
    for (const { keys = [], press, lift } of usable) {
      for (const key of keys) {
        down[key] = (e) => {
          if (typing(e)) return;
          e.preventDefault();
          press?.(context, e);
        };
        if (lift) up[key] = lift;
      }
    }
    const away = () => usable.forEach((k) => k.lift?.());
    const ends = [tinykeys(window, down), tinykeys(window, up, { event: "keyup" })];
    window.addEventListener("blur", away);
    return () => {
      ends.forEach((end) => end());
      window.removeEventListener("blur", away);
    };
  }, [station, go, showKeys, steps]);
}
