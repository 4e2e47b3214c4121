import type { ViewName } from "../names";
import { useAreas } from "../state/areas";
import { useScene } from "../state/scene";

/** The view in which the selected area's mask is seen of itself: the part pointed at, or all of it while it is made. */
export function useAreaSeen(station: string): ViewName | null {
  const seeing = useAreas((s) => s.seeing && s.selected !== null && s.without === null);
  const pointed = useAreas((s) => s.pointed !== null && s.selected !== null);
  const held = useScene((s) => s.held);
  if (station !== "areas") return null;
  if (pointed && !held) return "part";
  return seeing && !held ? "area" : null;
}
