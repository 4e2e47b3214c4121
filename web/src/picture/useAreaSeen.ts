import type { ViewName } from "../names";
import { useAreas } from "../state/areas";
import { useScene } from "../state/scene";

/** The view in which a mask is seen of itself: of the area or the part pointed at, or of what is being made. */
export function useAreaSeen(station: string): ViewName | null {
  const seeing = useAreas((s) => s.seeing && s.selected !== null && s.without === null);
  const pointed = useAreas((s) => s.pointed !== null && s.selected !== null);
  const over = useAreas((s) => s.over !== null);
  const held = useScene((s) => s.held);
  if (station !== "areas") return null;
  if (over && !held) return "area";
  if (pointed && !held) return "part";
  return seeing && !held ? "area" : null;
}
