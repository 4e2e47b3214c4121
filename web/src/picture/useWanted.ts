import { useEffect, useMemo } from "react";

import type { StationName } from "../names";
import { stationOf } from "../workbench/stations";
import { useAreas } from "../state/areas";
import { useChosen } from "../state/colour";
import { useSeen } from "../state/history";
import { useMend } from "../state/mend";
import { codesOf, useMaskShown } from "../state/maskShown";
import { useProofing } from "../state/proofing";
import { useScene } from "../state/scene";
import { switchedOff } from "../state/switchedOff";
import { useView } from "../state/view";
import { MARGIN, MOST, place, type Size, visible } from "./geometry";
import type { Viewport } from "./viewport";
import type { Renders, Rendered, Wanted } from "./useRenders";

const LARGEST = 8192;
/** Views that show the mask of an area, or a part of it. */
const OF_A_MASK = ["area", "mask", "part", "contours", "wash"];

const MENDS = ["mend"] as const;

/** What the request of a probe and that of a picture say alike: the picture itself. */
export function useShown(station: string) {
  const prepared = useScene((s) => s.scene?.prepared ?? null);
  const treatment = useScene((s) => s.treatment);
  const comparing = useView((s) => s.glance === "untreated");
  const uncropped = (stationOf(station).uncropped ?? false) && !comparing;
  const without = useAreas((s) => s.without);
  const selected = useAreas((s) => s.selected);
  const unmended = useMend((s) => s.without) && station === "mend";
  const held = useView((s) => s.without);
  const seen = useSeen((s) => s.treatment);
  const steps = held ?? (unmended ? MENDS : null);
  return useMemo(() => {
    if (!prepared || !treatment) return null;
    // A state of the history that is looked at is shown as it was.
    if (seen) return { prepared, treatment: seen, uncropped };
    if (steps) return { prepared, treatment: switchedOff(treatment, steps), uncropped };
    if (!without || station !== "areas") return { prepared, treatment, uncropped };
    const areas = treatment.areas.map((a) => (without === "all" || a.id === selected ? { ...a, on: false } : a));
    return { prepared, treatment: { ...treatment, areas }, uncropped };
  }, [prepared, treatment, uncropped, without, selected, station, steps, seen]);
}

/** How the picture drawn lies in its pane; null while there is none. */
export function useLaid(pane: Size, rendered: Rendered | null): Viewport | null {
  const zoom = useView((s) => s.zoom);
  const centre = useView((s) => s.centre);
  const map = rendered?.map;
  return useMemo(
    () => (map && pane.width ? { pane, map, placing: place(map.size, pane, zoom, centre) } : null),
    [map, pane, zoom, centre],
  );
}

/** What of the picture is asked for, and how large: what a pane shows of it as it lies there, or all of it as fits. */
export function sizeWanted(
  pane: Size,
  zoomed: Viewport | null,
): Pick<Wanted, "part" | "out_width" | "out_height" | "most"> {
  const dots = window.devicePixelRatio || 1;
  const points = (length: number) => Math.max(1, Math.min(LARGEST, Math.round(length * dots)));
  if (!zoomed)
    return {
      part: null,
      out_width: points(pane.width - 2 * MARGIN),
      out_height: points(pane.height - 2 * MARGIN),
      most: MOST * dots,
    };
  const { map, placing } = zoomed;
  const { x, y, width, height } = visible(map.size, pane, placing);
  return {
    part: [x, y, width, height],
    out_width: points(width * placing.zoom),
    out_height: points(height * placing.zoom),
    most: 1,
  };
}

/** Ask for the picture as it is to be seen, whenever that changes. */
export function useWanted(
  renders: { current: Renders | null },
  shown: ReturnType<typeof useShown>,
  pane: Size,
  lay: Viewport | null,
  view: string,
  coarse: boolean,
  station: StationName,
) {
  const fitted = useView((s) => s.zoom === null);
  const selected = useAreas((s) => s.selected);
  const chosen = useChosen();
  const pointed = useAreas((s) => s.pointed);
  const over = useAreas((s) => s.over);
  const ink = useMaskShown((s) => s.ink);
  const masked = OF_A_MASK.includes(view);
  const area = masked ? (view !== "part" && over ? over : selected) : null;
  const washed = useMemo(() => (view === "wash" ? codesOf(ink) : null), [view, ink]);
  const within = station === "areas" ? selected : null;
  const piece = view === "part" ? pointed : null;
  const range = view === "range" && chosen?.list === "ranges" ? chosen.item.name : null;
  const proof = useProofing((s) => (s.on ? s.proof : null));
  // A fitted picture is asked for as such: how large it is need not be known, and what is drawn does not ask anew.
  const zoomed = fitted ? null : lay;
  useEffect(() => {
    if (lay) useView.setState({ shownZoom: lay.placing.zoom });
  }, [lay]);
  useEffect(() => {
    if (!shown || pane.width <= 2 * MARGIN || pane.height <= 2 * MARGIN || (!fitted && !zoomed)) return;
    const size = sizeWanted(pane, zoomed);
    renders.current?.ask({ ...shown, view, area, piece, range, within, ink: washed, proof, ...size, coarse });
  }, [renders, shown, pane, zoomed, fitted, view, area, piece, range, within, washed, proof, coarse]);
}
