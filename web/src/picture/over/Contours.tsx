import type { Brush, Part, Shape } from "../../api/client";
import { setPart, useAreas, useSelected } from "../../state/areas";
import { hold, release, store } from "../../state/scene";
import { path, sceneFromPane, sceneOnPane, useLay } from "../lay";
import type { Point } from "../map";
import { centred, contour, gripAt, isShape, type Level, LEVELS, reshaped, type ShapeGrip } from "../shapes";
import { placesOf } from "../stroke";
import { Grip } from "./Grip";

const SAYS: Record<Shape["kind"], Record<Level, { grip: ShapeGrip; says: string }>> = {
  gradient: {
    0.25: { grip: "outer", says: "quarter: where it ends" },
    0.5: { grip: "whole", says: "half: moves it" },
    0.75: { grip: "inner", says: "three quarters: where it is full" },
  },
  ellipse: {
    0.25: { grip: "outer", says: "quarter: how softly it ends" },
    0.5: { grip: "size", says: "half: how large it is" },
    0.75: { grip: "inner", says: "three quarters: how softly it ends" },
  },
};

/** The contours of the selected area's shapes, and where its strokes are taken hold of; they are its handles. */
export default function Contours() {
  const selected = useSelected();
  if (!selected) return null;
  const [index, area] = selected;
  return (
    <g className="contours">
      {area.parts.map((part, i) => (part.on ? <Handles key={i} area={index} index={i} part={part} /> : null))}
    </g>
  );
}

function Handles({ area, index, part }: { area: number; index: number; part: Part }) {
  if (isShape(part)) return <ShapeHandles area={area} index={index} part={part} />;
  return part.kind === "brush" ? <BrushHandle area={area} index={index} part={part} /> : null;
}

/** Let a part go that was moved. */
function drop() {
  release();
  useAreas.setState({ seeing: true });
  store("A shape");
}

function ShapeHandles({ area, index, part }: { area: number; index: number; part: Shape }) {
  const lay = useLay();
  const lit = useAreas((s) => s.pointed === index || s.part === index);
  const taken = (grip: ShapeGrip) => () => {
    hold("area");
    useAreas.setState({ part: index });
    return (from: Point, to: Point) => {
      const next = reshaped(part, grip, sceneFromPane(lay, from), sceneFromPane(lay, to));
      setPart(area, index, next.kind === "ellipse" && grip === "whole" ? { ...next, centre: centred(next.centre as Point, lay.map.scene) } : next);
    };
  };
  const name = part.kind === "gradient" ? "Gradient" : "Ellipse";
  const common = { drop, anchor: sceneOnPane(lay, gripAt(part, "whole")) };
  const [end, far] = [sceneOnPane(lay, gripAt(part, "outer")), sceneOnPane(lay, gripAt(part, part.kind === "ellipse" ? "turn" : "outer"))];
  const stem = path([end, far]);
  const [cx, cy] = common.anchor;
  const bend = sceneOnPane(lay, gripAt(part, "bend"));
  return (
    <g className={lit ? "lit" : ""}>
      {LEVELS.map((level) => {
        const { grip, says } = SAYS[part.kind][level];
        return (
          <Grip
            key={level}
            {...common}
            anchor={sceneOnPane(lay, gripAt(part, grip))}
            label={`${name} ${index + 1}, ${says}`}
            className={level === 0.5 ? "half" : "side"}
            cursor={grip === "whole" ? "move" : "grab"}
            d={path(
              contour(part, level).map((p) => sceneOnPane(lay, p)),
              part.kind === "ellipse",
            )}
            grab={taken(grip)}
          />
        );
      })}
      {part.kind === "gradient" && <Grip {...common} anchor={bend} label={`Gradient ${index + 1}, knot: bends it`} cursor="grab" filled d={`M ${bend[0] - 5} ${bend[1]} l 5 -5 l 5 5 l -5 5 Z`} grab={taken("bend")} />}
      {part.kind === "ellipse" && (
        <>
          <Grip {...common} label={`${name} ${index + 1}, middle: moves it`} cursor="move" d={`M ${cx - 6} ${cy} h 12 M ${cx} ${cy - 6} v 12`} grab={taken("whole")} />
          <Grip {...common} anchor={far} label={`${name} ${index + 1}, stem: turns it`} cursor="grab" d={stem} grab={taken("turn")} />
        </>
      )}
    </g>
  );
}

/** Where all that a brush has painted is taken hold of: the middle of its first stroke. */
function BrushHandle({ area, index, part }: { area: number; index: number; part: Brush }) {
  const lay = useLay();
  const places = part.strokes.length ? placesOf(part.strokes[0]) : [];
  if (!places.length) return null;
  const middle = places[Math.floor(places.length / 2)];
  const [x, y] = sceneOnPane(lay, [middle[0] + part.shift[0], middle[1] + part.shift[1]]);
  const grab = () => {
    hold("area");
    useAreas.setState({ part: index });
    return (from: Point, to: Point) => {
      const [a, b] = [sceneFromPane(lay, from), sceneFromPane(lay, to)];
      const held = (v: number) => Math.min(5, Math.max(-4, v));
      setPart(area, index, { ...part, shift: [held(part.shift[0] + b[0] - a[0]), held(part.shift[1] + b[1] - a[1])] });
    };
  };
  return <Grip label={`Brush ${index + 1}: moves all of it`} anchor={[x, y]} cursor="move" filled d={`M ${x - 6} ${y - 6} h 12 v 12 h -12 Z M ${x - 3} ${y} h 6 M ${x} ${y - 3} v 6`} grab={grab} drop={drop} />;
}
