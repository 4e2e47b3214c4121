import { Button } from "@mui/material";

import { channelEnds, setPoints, straighten, storeCurve, useCurve } from "../state/curve";
import { useScene } from "../state/scene";
import { ToolButton } from "../panel/ToolButton";
import { number } from "../units";
import { moved } from "./points";
import { TypedNumber } from "./TypedNumber";

/** What stands under the curve: the point in hand in numbers, the tool that picks on the picture, channel ends. */
export function CurveTools() {
  const { channel, chosen } = useCurve();
  const curve = useScene((s) => s.treatment?.curve);
  if (!curve) return null;
  const point = chosen === null ? undefined : curve[channel][chosen];
  const any = curve.points.length + curve.red.length + curve.green.length + curve.blue.length > 0;
  const set = (change: Partial<typeof point>) => {
    setPoints((points) => moved(points, chosen!, { ...points[chosen!], ...change }));
    storeCurve();
  };
  return (
    <>
      {point ? (
        <div className="row point-values">
          <span className="dim">Point</span>
          <TypedNumber label="Light that enters, in EV" value={point.at} onSet={(at) => set({ at })} />
          <span className="dim">EV to</span>
          <TypedNumber label="Light that leaves, in EV" value={point.to} onSet={(to) => set({ to })} />
          <span className="dim">EV, {number(point.to - point.at, 2, true)}</span>
        </div>
      ) : (
        <p className="dim">Click on the curve for a point. 0 is the picture’s white.</p>
      )}
      <div className="buttons">
        <ToolButton
          tool="curve"
          says="Pick on the picture"
          inHand="Drag a place up or down"
          title="A point for the light under the pointer. Key C"
        />
        <Button
          size="small"
          variant="outlined"
          color="inherit"
          className="below"
          title="Gives red, green and blue the same darkest and brightest light: takes the colour of a haze"
          onClick={() => void channelEnds()}
        >
          Channel ends
        </Button>
        {any && (
          <Button size="small" variant="outlined" color="inherit" className="below" onClick={straighten}>
            Straight
          </Button>
        )}
      </div>
    </>
  );
}
