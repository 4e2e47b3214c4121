import type { Part } from "../../api/client";
import { setPart, useSelected } from "../../state/areas";
import { hold, release, store } from "../../state/scene";
import { path, sceneFromPane, sceneOnPane, useLay } from "../lay";
import { contour, gripAt, type Level, LEVELS, reshaped, type ShapeGrip } from "../shapes";
import { Grip } from "./Grip";

const SAYS: Record<string, Record<Level, { grip: ShapeGrip; says: string }>> = {
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

/** The contours of the selected area's shapes; they are its handles. */
export default function Contours() {
  const selected = useSelected();
  if (!selected) return null;
  const [index, area] = selected;
  return (
    <g className="contours">
      {area.parts.map((part, i) => (
        <Shape key={i} area={index} index={i} part={part} />
      ))}
    </g>
  );
}

function Shape({ area, index, part }: { area: number; index: number; part: Part }) {
  const lay = useLay();
  const taken = (grip: ShapeGrip) => () => {
    hold();
    return (from: [number, number], to: [number, number]) => setPart(area, index, reshaped(part, grip, sceneFromPane(lay, from), sceneFromPane(lay, to)));
  };
  const drop = () => {
    release();
    store("A shape");
  };
  const name = part.kind === "gradient" ? "Gradient" : "Ellipse";
  const common = { drop, anchor: sceneOnPane(lay, gripAt(part, "whole")) };
  const [end, far] = [sceneOnPane(lay, gripAt(part, "outer")), sceneOnPane(lay, gripAt(part, part.kind === "ellipse" ? "turn" : "outer"))];
  const stem = path([end, far]);
  const [cx, cy] = common.anchor;
  return (
    <>
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
      {part.kind === "ellipse" && (
        <>
          <Grip {...common} label={`${name} ${index + 1}, middle: moves it`} cursor="move" d={`M ${cx - 6} ${cy} h 12 M ${cx} ${cy - 6} v 12`} grab={taken("whole")} />
          <Grip {...common} anchor={far} label={`${name} ${index + 1}, stem: turns it`} cursor="grab" d={stem} grab={taken("turn")} />
        </>
      )}
    </>
  );
}
