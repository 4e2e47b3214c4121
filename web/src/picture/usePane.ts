import { type RefObject, useEffect, useState } from "react";

import type { Size } from "./geometry";

/** Size of an element as it changes, in CSS pixels. */
export function usePane(element: RefObject<Element | null>): Size {
  const [pane, setPane] = useState<Size>({ width: 0, height: 0 });
  useEffect(() => {
    if (!element.current) return;
    const watch = new ResizeObserver(([e]) => setPane({ width: e.contentRect.width, height: e.contentRect.height }));
    watch.observe(element.current);
    return () => watch.disconnect();
  }, [element]);
  return pane;
}
