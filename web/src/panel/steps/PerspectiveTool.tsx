import { Button } from "@mui/material";

import { ask, MOST_EDGES, take, useEdges } from "../../state/edges";
import { useView } from "../../state/view";
import { ToolButton } from "../ToolButton";

/** Takes the perspective back by edges drawn on the picture, or by the lines that are found in it. */
export function PerspectiveTool() {
  const edges = useEdges((s) => s.edges);
  const inHand = useView((s) => s.tool === "edges");
  const none = () => useEdges.setState({ edges: [] });
  const find = async (horizontal: boolean) => {
    const found = await ask([], horizontal);
    if (found) take(found, horizontal ? "Standing and lying lines" : "Standing lines", true);
  };
  const drawn = async () => {
    const found = await ask(edges, true);
    if (!found) return;
    take(found, `Straight by ${edges.length} edges`, true);
    none();
    useView.setState({ tool: "pan" });
  };
  const left = MOST_EDGES - edges.length;
  return (
    <>
      <div className="tools">
        <ToolButton
          tool="edges"
          before={none}
          says="Draw edges"
          inHand={`Drag along ${left === 1 ? "one more" : "edges"}`}
          title="Two that stand, or four: two that stand and two that lie"
        />
        <Button
          size="small"
          variant="outlined"
          color="inherit"
          className="below"
          onClick={() => void find(false)}
          title="So that most standing lines stand"
        >
          Find
        </Button>
        <Button
          size="small"
          variant="outlined"
          color="inherit"
          className="below"
          onClick={() => void find(true)}
          title="So that standing lines stand and lying ones lie"
        >
          Find both
        </Button>
      </div>
      {edges.length > 0 && (
        <div className="tools">
          <Button
            size="small"
            variant="contained"
            className="below"
            disabled={edges.length < 2}
            onClick={() => void drawn()}
          >
            Straighten by {edges.length}
          </Button>
          <Button
            size="small"
            color="inherit"
            className="below"
            onClick={() => {
              none();
              if (inHand) useView.setState({ tool: "pan" });
            }}
          >
            Put away
          </Button>
        </div>
      )}
    </>
  );
}
