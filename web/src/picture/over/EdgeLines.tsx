import { type Edge, useEdges } from "../../state/edges";
import { useBent } from "../../state/lens";
import { sceneOnPane, useViewport } from "../viewport";
import { PlumbLine, Stroke } from "./PlumbLine";

/** The edges that stand or lie. */
export const StandingEdges = () => <EdgeLines edges={useEdges((s) => s.edges)} />;

/** The edges that should be straight. */
export const BentEdges = () => <EdgeLines edges={useBent((s) => s.edges)} />;

/** Edges drawn so far, numbered, and the one being drawn. */
function EdgeLines({ edges }: { edges: Edge[] }) {
  const lay = useViewport();
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
