import type { Brush, Part, Shape } from "../../api/client";
import { setPart, useAreas, useSelected } from "../../state/areas";
import { hold, release, store } from "../../state/scene";
import { path, sceneFromPane, sceneOnPane, useViewport } from "../viewport";
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
  const area = useSelected();
  if (!area) return null;
  return (
    <g className="contours">
      {area.parts.map((part, i) =>
        part.on ? <Handles key={part.id} area={area.id} number={i + 1} part={part} /> : null,
      )}
    </g>
  );
}

function Handles({ area, number, part }: { area: string; number: number; part: Part }) {
  if (isShape(part)) return <ShapeHandles area={area} number={number} part={part} />;
  return part.kind === "brush" ? <BrushHandle area={area} number={number} part={part} /> : null;
}

/** Let a part go that was moved. */
function drop() {
  release();
  useAreas.setState({ seeing: true });
  store("A shape");
}

function ShapeHandles({ area, number, part }: { area: string; number: number; part: Shape }) {
  const lay = useViewport();
  const lit = useAreas((s) => s.pointed === part.id || s.part === part.id);
  const taken = (grip: ShapeGrip) => () => {
    hold("area");
    useAreas.setState({ part: part.id });
    return (from: Point, to: Point) => {
      const next = reshaped(part, grip, sceneFromPane(lay, from), sceneFromPane(lay, to));
      setPart(
        area,
        part.id,
        next.kind === "ellipse" && grip === "whole"
          ? { ...next, centre: centred(next.centre as Point, lay.map.scene) }
          : next,
      );
    };
  };
  const name = part.kind === "gradient" ? "Gradient" : "Ellipse";
  const common = { drop, anchor: sceneOnPane(lay, gripAt(part, "whole")) };
  const [end, far] = [
    sceneOnPane(lay, gripAt(part, "outer")),
    sceneOnPane(lay, gripAt(part, part.kind === "ellipse" ? "turn" : "outer")),
  ];
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
            label={`${name} ${number}, ${says}`}
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
      {part.kind === "gradient" && (
        <Grip
          {...common}
          anchor={bend}
          label={`Gradient ${number}, knot: bends it`}
          cursor="grab"
          filled
          d={`M ${bend[0] - 5} ${bend[1]} l 5 -5 l 5 5 l -5 5 Z`}
          grab={taken("bend")}
        />
      )}
      {part.kind === "ellipse" && (
        <>
          <Grip
            {...common}
            label={`${name} ${number}, middle: moves it`}
            cursor="move"
            d={`M ${cx - 6} ${cy} h 12 M ${cx} ${cy - 6} v 12`}
            grab={taken("whole")}
          />
          <Grip
            {...common}
            anchor={far}
            label={`${name} ${number}, stem: turns it`}
            cursor="grab"
            d={stem}
            grab={taken("turn")}
          />
        </>
      )}
    </g>
  );
}

/** Where all that a brush has painted is taken hold of: the middle of its first stroke. */
function BrushHandle({ area, number, part }: { area: string; number: number; part: Brush }) {
  const lay = useViewport();
  const places = part.strokes.length ? placesOf(part.strokes[0]) : [];
  if (!places.length) return null;
  const middle = places[Math.floor(places.length / 2)];
  const [x, y] = sceneOnPane(lay, [middle[0] + part.shift[0], middle[1] + part.shift[1]]);
  const grab = () => {
    hold("area");
    useAreas.setState({ part: part.id });
    return (from: Point, to: Point) => {
      const [a, b] = [sceneFromPane(lay, from), sceneFromPane(lay, to)];
      const held = (v: number) => Math.min(5, Math.max(-4, v));
      setPart(area, part.id, {
        ...part,
        shift: [held(part.shift[0] + b[0] - a[0]), held(part.shift[1] + b[1] - a[1])],
      });
    };
  };
  return (
    <Grip
      label={`Brush ${number}: moves all of it`}
      anchor={[x, y]}
      cursor="move"
      filled
      d={`M ${x - 6} ${y - 6} h 12 v 12 h -12 Z M ${x - 3} ${y} h 6 M ${x} ${y - 3} v 6`}
      grab={grab}
      drop={drop}
    />
  );
}
