import { useEffect } from "react";

import { setCrop, useCrop, useCropping } from "../../state/cropping";
import { useScene } from "../../state/scene";
import { useView } from "../../state/view";
import { type Box, type CropGrip, dragged, held } from "../crop";
import { GUIDES } from "../guides";
import { fromPane, onPane, path, useViewport } from "../viewport";
import type { Point } from "../map";
import { Grip } from "./Grip";

const GRIPS: { grip: CropGrip; says: string; cursor: string }[] = [
  { grip: "inside", says: "inside: moves it", cursor: "move" },
  { grip: "n", says: "upper side", cursor: "ns-resize" },
  { grip: "s", says: "lower side", cursor: "ns-resize" },
  { grip: "w", says: "left side", cursor: "ew-resize" },
  { grip: "e", says: "right side", cursor: "ew-resize" },
  { grip: "nw", says: "upper left corner", cursor: "nwse-resize" },
  { grip: "se", says: "lower right corner", cursor: "nwse-resize" },
  { grip: "ne", says: "upper right corner", cursor: "nesw-resize" },
  { grip: "sw", says: "lower left corner", cursor: "nesw-resize" },
];
/** Length of the marks at corners and sides, in pixels. */
const MARK = 16;

/** The crop as a window in the dimmed picture: its sides, corners and inside are its handles. */
export default function CropFrame() {
  const lay = useViewport();
  const crop = useCrop();
  const shown = useView((s) => s.crop);
  const outline = useView((s) => s.outline);
  const room = useView((s) => s.room);
  const guide = useCropping((s) => s.guide);
  const section = useScene((s) => s.treatment?.crop);
  // What was dragged is shown by the server now.
  useEffect(() => useCropping.setState({ dragged: null }), [shown]);
  if (!crop || !section) return null;

  const corners = (
    [
      [0, 0],
      [1, 0],
      [1, 1],
      [0, 1],
    ] as Point[]
  ).map(([u, v]) => onPane(lay, [crop.x + u * crop.width, crop.y + v * crop.height]));
  const ratio = section.ratio === "free" ? null : crop.width / crop.height;
  const taken = (grip: CropGrip) => () => {
    let reached: Box = crop;
    return (from: Point, to: Point) => {
      const [a, b] = [fromPane(lay, from), fromPane(lay, to)];
      const wanted = dragged(crop, grip, [b[0] - a[0], b[1] - a[1]], ratio);
      reached = section.corners || !room ? wanted : held(reached, wanted, room);
      useCropping.setState({ dragged: reached });
    };
  };
  const drop = () => {
    const { dragged: box } = useCropping.getState();
    if (box) setCrop(box, lay.map);
  };
  const inside = path(corners, true);
  const { width, height } = lay.map.size;
  const edges = (
    [
      [0, 0],
      [width, 0],
      [width, height],
      [0, height],
    ] as Point[]
  ).map((p) => onPane(lay, p));
  const within = ([u, v]: Point) => onPane(lay, [crop.x + u * crop.width, crop.y + v * crop.height]);
  return (
    <g className="crop" data-testid="crop">
      {outline && !section.corners && (
        <path
          className="empty"
          fillRule="evenodd"
          d={`${path(edges, true)} ${path(
            outline.map((p) => onPane(lay, p)),
            true,
          )}`}
        />
      )}
      <path
        className="dimmed"
        fillRule="evenodd"
        d={`M 0 0 H ${lay.pane.width} V ${lay.pane.height} H 0 Z ${inside}`}
      />
      {GUIDES[guide].lines(crop).map((line, i) => (
        <path key={i} className="guide" d={path(line.map(within))} />
      ))}
      {GRIPS.map(({ grip, says, cursor }) => (
        <Grip
          key={grip}
          label={`Crop, ${says}`}
          cursor={cursor}
          filled={grip === "inside"}
          className={grip === "inside" ? "box" : "mark"}
          anchor={[0, 0]}
          d={grip === "inside" ? inside : markOf(grip, corners)}
          grab={taken(grip)}
          drop={drop}
        />
      ))}
    </g>
  );
}

/** The line of a side or corner: sides are taken along their whole length, but for the corners. */
function markOf(grip: CropGrip, [nw, ne, se, sw]: Point[]): string {
  const side = (a: Point, b: Point) => {
    const long = Math.hypot(b[0] - a[0], b[1] - a[1]);
    const t = Math.min(MARK / Math.max(long, 1), 0.4);
    return path([
      [a[0] + (b[0] - a[0]) * t, a[1] + (b[1] - a[1]) * t],
      [b[0] - (b[0] - a[0]) * t, b[1] - (b[1] - a[1]) * t],
    ]);
  };
  const corner = ([x, y]: Point, dx: number, dy: number) =>
    path([
      [x + dx * MARK, y],
      [x, y],
      [x, y + dy * MARK],
    ]);
  const lines: Record<string, string> = {
    n: side(nw, ne),
    s: side(sw, se),
    w: side(nw, sw),
    e: side(ne, se),
    nw: corner(nw, 1, 1),
    ne: corner(ne, -1, 1),
    se: corner(se, -1, -1),
    sw: corner(sw, 1, -1),
  };
  return lines[grip];
}
