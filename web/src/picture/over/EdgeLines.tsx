import { useEdges } from "../../state/edges";
import { sceneOnPane, useLay } from "../lay";
import { PlumbLine, Stroke } from "./PlumbLine";

/** The edges drawn so far, numbered, and the one being drawn. */
export function EdgeLines() {
  const lay = useLay();
  const edges = useEdges((s) => s.edges);
  return (
    <>
      <g className="plumb" data-testid="edges">
        {edges.map((edge, i) => {
          const [a, b] = edge.map((p) => sceneOnPane(lay, p));
          return (
            <g key={i}>
              <Stroke from={a} to={b} />
              <text x={(a[0] + b[0]) / 2 + 8} y={(a[1] + b[1]) / 2 + 4}>
                {i + 1}
              </text>
            </g>
          );
        })}
      </g>
      <PlumbLine />
    </>
  );
}
