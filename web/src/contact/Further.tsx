import { useEffect, useRef } from "react";

/** The end of what is on the sheet so far: more is asked for before one gets there. */
export function Further({ at, busy }: { at: () => void; busy: boolean }) {
  const end = useRef<HTMLButtonElement>(null);
  const asked = useRef(at);
  useEffect(() => {
    asked.current = at;
  });
  useEffect(() => {
    // Told anew after each page: where that page did not fill the window, the end is still in view.
    if (busy || !end.current) return;
    const watch = new IntersectionObserver((seen) => seen.some((s) => s.isIntersecting) && asked.current(), {
      rootMargin: "1200px",
    });
    watch.observe(end.current);
    return () => watch.disconnect();
  }, [busy]);
  return (
    <button ref={end} className="quiet" onClick={at}>
      further scenes
    </button>
  );
}
