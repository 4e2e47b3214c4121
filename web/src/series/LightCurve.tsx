import { useMemo } from "react";

import type { Series } from "../api/client";
import { along, goTo, placeAt, usePlaying } from "../state/series";
import { number } from "../units";
import { useDrag } from "../useDrag";

/** The size that the curve is drawn in; it is stretched to the width that there is. */
const [WIDTH, HEIGHT, ROOM] = [1000, 96, 10];
/** The least stops that the curve's height stands for. */
const LEAST = 2;

/** The light of a series over time, with its keys; dragged along, each scene is shown. */
export function LightCurve({ series }: { series: Series }) {
  const place = usePlaying((s) => s.place);
  const { members, light } = series;
  const shares = useMemo(() => along(series), [series]);
  const [low, high] = useMemo(() => {
    const all = light ? [...light.curve, ...light.smooth] : [0];
    const middle = (Math.min(...all) + Math.max(...all)) / 2;
    const half = Math.max(Math.max(...all) - Math.min(...all), LEAST) / 2;
    return [middle - half, middle + half];
  }, [light]);
  const x = (i: number) => shares[i] * WIDTH;
  const y = (ev: number) => HEIGHT - ROOM - ((ev - low) / (high - low)) * (HEIGHT - 2 * ROOM);
  const show = (e: { clientX: number; currentTarget: Element }) => {
    const box = e.currentTarget.getBoundingClientRect();
    goTo(placeAt(series, (e.clientX - box.left) / box.width), members.length);
  };
  const drag = useDrag<true>({
    begin: (e) => {
      usePlaying.setState({ runs: false });
      show(e);
      return true;
    },
    move: (_, e) => show(e),
    end: () => {},
  });
  const line = (values: number[]) => values.map((ev, i) => `${x(i)},${y(ev)}`).join(" ");
  const stops = Array.from({ length: Math.floor(high) - Math.ceil(low) + 1 }, (_, i) => Math.ceil(low) + i);
  return (
    <div className="light-curve">
      <div className="stops dim" aria-hidden="true">
        {light &&
          stops.map((stop) => (
            <span key={stop} style={{ top: `${(y(stop) / HEIGHT) * 100}%` }}>
              {number(stop, 0, true)}
            </span>
          ))}
      </div>
      <svg
        viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
        preserveAspectRatio="none"
        role="slider"
        tabIndex={0}
        aria-label="Place in the series"
        aria-valuemin={1}
        aria-valuemax={members.length}
        aria-valuenow={place + 1}
        aria-valuetext={members[place]?.title}
        {...drag}
      >
        {light && stops.map((stop) => <line key={stop} x1={0} x2={WIDTH} y1={y(stop)} y2={y(stop)} className="stop" />)}
        {light && <polyline points={line(light.smooth)} className="smooth" />}
        {light?.curve.map((ev, i) => (
          <line key={members[i].id} x1={x(i)} x2={x(i)} y1={y(light.smooth[i])} y2={y(ev)} className="off" />
        ))}
        <line x1={x(place)} x2={x(place)} y1={0} y2={HEIGHT} className="here" />
      </svg>
      {members.map(
        (m, i) =>
          m.key && (
            <button
              key={m.id}
              className="key"
              style={{ left: `calc(var(--crenn-stops) + (100% - var(--crenn-stops)) * ${shares[i]})` }}
              title={`Key: ${m.title}`}
              aria-label={`Key: ${m.title}`}
              onClick={() => goTo(i, members.length)}
            />
          ),
      )}
    </div>
  );
}
