import { useEffect, useRef, useState } from "react";

import type { Series } from "../api/client";
import { evenly, goTo, usePlaying } from "../state/series";
import { pictureOf } from "./usePlay";

/** Width of a picture of the strip, in pixels. */
const EACH = 104;

/** The series as a strip: as many pictures as there is room for, evenly from the first to the last. */
export function Strip({ series }: { series: Series }) {
  const { members } = series;
  const place = usePlaying((s) => s.place);
  const strip = useRef<HTMLDivElement>(null);
  const [room, setRoom] = useState(8);
  useEffect(() => {
    const watch = new ResizeObserver(([entry]) => setRoom(Math.max(Math.floor(entry.contentRect.width / EACH), 2)));
    watch.observe(strip.current!);
    return () => watch.disconnect();
  }, []);
  const shown = evenly(members.length, room);
  const nearest = shown.reduce((best, i) => (Math.abs(i - place) < Math.abs(best - place) ? i : best), shown[0]);
  return (
    <div className="film-strip" ref={strip}>
      {shown.map((i) => {
        const source = pictureOf(members[i]);
        return (
          <button
            key={members[i].id}
            aria-label={members[i].title}
            aria-current={i === nearest}
            onClick={() => {
              usePlaying.setState({ runs: false });
              goTo(i, members.length);
            }}
          >
            {source && <img src={source} alt="" loading="lazy" />}
          </button>
        );
      })}
    </div>
  );
}
