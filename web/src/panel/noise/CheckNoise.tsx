import { Button } from "@mui/material";

import type { Check } from "../../api/client";
import { isActive, useLastJob } from "../../api/news";
import { clearPlaces, fit, forget, inWords, useCheck, useModels } from "../../state/check";
import { useScene } from "../../state/scene";
import { number } from "../../units";
import { Folded } from "../Folded";
import { JobProgress } from "../JobProgress";
import { ToolButton } from "../ToolButton";

const COLOURS = ["Red", "Green", "Blue"];

/** Holds the predicted noise against what is there, and fits it for the camera. */
export function CheckNoise() {
  const id = useScene((s) => s.scene?.id ?? 0);
  const { found, places, scene } = useCheck();
  const models = useModels().data ?? [];
  const job = useLastJob("fit", id);
  const mine = scene === id;
  return (
    <Folded name="check" title="Check and fit" aside={models.length ? "fitted" : undefined}>
      <ToolButton
        tool="box"
        says="Draw a box"
        inHand="Drawing: drag over a smooth place"
        title="Measures the noise of a place and holds it against what is predicted"
      />
      {mine && found && (
        <>
          <p className="dim">{inWords(found)}</p>
          {found.smooth && <Measured found={found} />}
        </>
      )}
      {job?.state === "failed" && <p className="fault">{job.fault}</p>}
      {job && isActive(job) ? (
        <JobProgress job={job} />
      ) : (
        <div className="buttons">
          <Button
            size="small"
            variant="outlined"
            color="inherit"
            className="below"
            title="Fits the camera's noise at the ISO of these frames on their smoothest parts"
            onClick={() => void fit([])}
          >
            Fit on the whole picture
          </Button>
          {mine && places.length > 0 && (
            <Button
              size="small"
              variant="outlined"
              color="inherit"
              className="below"
              title="Fits it on the places that were drawn"
              onClick={() => void fit(places)}
            >
              Fit on {places.length} {places.length === 1 ? "place" : "places"}
            </Button>
          )}
          {mine && places.length > 0 && (
            <Button size="small" variant="text" color="inherit" className="below" onClick={clearPlaces}>
              Clear
            </Button>
          )}
        </div>
      )}
      {models.length > 0 && (
        <>
          <p className="dim">
            Kept for {models[0].model || "this camera"}: ISO {models.map((m) => Math.round(m.iso)).join(", ")}. It holds
            from the next merge.
          </p>
          <Button size="small" variant="text" color="inherit" onClick={() => void forget()}>
            Forget it
          </Button>
        </>
      )}
    </Folded>
  );
}

/** Noise of a place by colour, in shares of its light. */
function Measured({ found }: { found: Check }) {
  const share = (deviation: number) => `${number((100 * deviation) / 2 ** found.stop, 2)} %`;
  return (
    <table className="plain">
      <thead>
        <tr>
          <th>of the light</th>
          <th>measured</th>
          <th>predicted</th>
          {found.left && <th>cleaned</th>}
        </tr>
      </thead>
      <tbody>
        {COLOURS.map((name, i) => (
          <tr key={name}>
            <td>{name}</td>
            <td>{share(found.measured[i])}</td>
            <td>{share(found.predicted[i])}</td>
            {found.left && <td>{share(found.left[i])}</td>}
          </tr>
        ))}
      </tbody>
    </table>
  );
}
