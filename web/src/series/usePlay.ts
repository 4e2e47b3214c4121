import { useEffect } from "react";

import type { Series } from "../api/client";
import { LOOKED_RATE, usePlaying } from "../state/series";

/** The address of a scene's small picture; null if there is none. */
export const pictureOf = ({ id, picture_version: version }: Series["members"][number]) =>
  version === null ? null : `/api/scenes/${id}/picture.jpg?v=${version}`;

/** So many pictures are fetched ahead of the one that is shown. */
const AHEAD = 24;

/** Let a series run while it is asked to: each picture is shown once it is there, none before its time. */
export function usePlay(series: Series | undefined) {
  const runs = usePlaying((s) => s.runs);
  useEffect(() => {
    if (!runs || !series) return;
    const { members } = series;
    const kept = new Map<number, HTMLImageElement>();
    const fetched = (place: number) => {
      const source = pictureOf(members[place]);
      if (source === null || kept.has(place)) return kept.get(place);
      const picture = new Image();
      picture.src = source;
      kept.set(place, picture);
      return picture;
    };
    let frame = 0;
    let shown = performance.now();
    const step = (now: number) => {
      frame = requestAnimationFrame(step);
      const { place } = usePlaying.getState();
      const next = (place + 1) % members.length;
      for (let i = 0; i < AHEAD; i++) fetched((next + i) % members.length);
      if (now - shown < 1000 / LOOKED_RATE) return;
      if (pictureOf(members[next]) !== null && !kept.get(next)?.complete) return;
      // A late picture does not make those after it hurry.
      shown = Math.max(shown + 1000 / LOOKED_RATE, now - 1000 / LOOKED_RATE);
      usePlaying.setState({ place: next });
    };
    frame = requestAnimationFrame(step);
    return () => cancelAnimationFrame(frame);
  }, [runs, series]);
}
