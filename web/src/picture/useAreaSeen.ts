import type { ViewName } from "../names";
import { useAreas } from "../state/areas";
import { useMaskShown, viewOfMask } from "../state/maskShown";
import { useScene } from "../state/scene";

/** The view in which a mask is seen of itself: of the area or the part pointed at, or of what is being made. */
export function useAreaSeen(station: string): ViewName | null {
  const seeing = useAreas((s) => s.seeing && s.selected !== null && s.without === null);
  const pointed = useAreas((s) => s.pointed !== null && s.selected !== null);
  const over = useAreas((s) => s.over !== null);
  const way = useMaskShown((s) => s.way);
  const held = useScene((s) => s.held);
  if (station !== "areas" || held) return null;
  // What is pointed at is shown in any case, and so that it stands out.
  if (over) return way === "wash" || way === "mask" ? way : "area";
  if (pointed) return "part";
  return seeing ? viewOfMask(way) : null;
}
