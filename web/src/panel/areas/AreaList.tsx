import { Checkbox, IconButton } from "@mui/material";
import { type DragEvent, useEffect, useRef, useState } from "react";

import { useSteps } from "../../api/queries";
import { path } from "../../picture/viewport";
import { moveArea, removeArea, select, takeBends, toggleAll, useAreas } from "../../state/areas";
import { preview, store, useScene } from "../../state/scene";
import { withValue } from "../../state/values";
import { useView } from "../../state/view";
import { useWithin } from "../../state/within";
import type { Point } from "../../picture/map";
import { bendable, summary } from "./bends";

/** After so long the pointer rests on an area, in ms. */
const RESTS = 250;

/** All areas: each by the outline of its mask, and the dials that it bends. They are moved by dragging, or by Alt and arrows. */
export function AreaList() {
  const areas = useScene((s) => s.treatment?.areas) ?? [];
  const selected = useAreas((s) => s.selected);
  const treatment = useScene((s) => s.treatment);
  const dials = bendable(useSteps().data ?? [], treatment);
  const outlines = useWithin().data?.outlines;
  const [from, setFrom] = useState<number | null>(null);
  const [over, setOver] = useState<number | null>(null);
  const waiting = useRef<ReturnType<typeof setTimeout>>(undefined);
  // Passing over the list shows nothing; resting on an area its mask, until it is clicked or left.
  const pointAt = (id: string | null) => {
    clearTimeout(waiting.current);
    if (id) waiting.current = setTimeout(() => useAreas.setState({ over: id }), RESTS);
    else useAreas.setState({ over: null });
  };
  useEffect(
    () => () => {
      clearTimeout(waiting.current);
      useAreas.setState({ over: null });
    },
    [],
  );
  if (areas.length === 0) return null;
  const drop = (e: DragEvent, to: number) => {
    e.preventDefault();
    if (from !== null) moveArea(from, to);
    setFrom(null);
    setOver(null);
  };
  return (
    <>
      <h3 className="group">
        <span>
          {areas.length} {areas.length === 1 ? "area" : "areas"}
        </span>
        <button className="quiet" onClick={toggleAll} title="Switch all off, or those on again that were">
          {areas.some((a) => a.on) ? "all off" : "on again"}
        </button>
      </h3>
      <div className="areas" role="group" aria-label="Areas">
        {areas.map((area, i) => (
          <div
            key={area.id}
            className={`area ${selected === area.id ? "selected" : ""} ${area.on ? "" : "off"} ${over === i && from !== i ? "over" : ""}`}
            role="group"
            aria-label={area.name}
            draggable
            onDragStart={() => setFrom(i)}
            onDragOver={(e) => {
              e.preventDefault();
              setOver(i);
            }}
            onDragEnd={() => setOver(null)}
            onDrop={(e) => drop(e, i)}
          >
            <Checkbox
              color="default"
              checked={area.on}
              slotProps={{ input: { "aria-label": `Use ${area.name}` } }}
              onChange={(e) => {
                preview((t) => withValue(t, ["areas", area.id, "on"], e.target.checked));
                store(`${area.name} ${e.target.checked ? "on" : "off"}`);
              }}
            />
            <button
              onPointerEnter={() => pointAt(area.id)}
              onPointerLeave={() => pointAt(null)}
              aria-pressed={selected === area.id}
              title="Alt click: it takes the dials of the selected area"
              onClick={(e) => {
                pointAt(null);
                const from = areas.find((a) => a.id === selected);
                if (e.altKey && from) takeBends(area, from);
                else select(selected === area.id ? null : area.id);
              }}
              onKeyDown={(e) => {
                const by = { ArrowUp: -1, ArrowDown: 1 }[e.key];
                if (!e.altKey || by === undefined) return;
                moveArea(i, i + by);
                e.preventDefault();
                e.stopPropagation();
              }}
            >
              <Outline lines={outlines?.[i]?.lines ?? []} />
              <span>
                {area.name}
                {area.opacity < 100 && <span className="fine"> {Math.round(area.opacity)} %</span>}{" "}
                <span className="dim">{summary(area, dials)}</span>
              </span>
            </button>
            <IconButton size="small" aria-label={`Take ${area.name} away`} onClick={() => removeArea(area)}>
              ×
            </IconButton>
          </div>
        ))}
      </div>
    </>
  );
}

/** The half contours of a mask, in the frame of the scene. */
function Outline({ lines }: { lines: number[][] }) {
  const scene = useView((s) => s.map?.scene) ?? [1, 2 / 3];
  const [width, height] = [34, (34 * scene[1]) / scene[0]];
  const pairs = (line: number[]) => line.flatMap((x, i): Point[] => (i % 2 ? [] : [[x * 1000, line[i + 1] * 1000]]));
  return (
    <svg
      className="outline"
      width={width}
      height={height}
      viewBox={`0 0 ${scene[0] * 1000} ${scene[1] * 1000}`}
      aria-hidden
    >
      <path d={lines.map((line) => path(pairs(line), true)).join(" ")} fillRule="evenodd" />
    </svg>
  );
}
