import { MenuItem, Select } from "@mui/material";

import { TypedNumber } from "../../curve/TypedNumber";
import { type Output, setOutput, useOutput, useSignal } from "../../state/output";
import { useScene } from "../../state/scene";
import { useView } from "../../state/view";
import { number } from "../../units";
import { Folded } from "../Folded";

const BY: Record<Output["by"], string> = { full: "Full size", pixels: "Long edge", print: "Print" };

/** How large the picture will be, and how far down it can be used then, before and after noise is taken out. */
export function OutputReach() {
  const output = useOutput();
  const { data } = useSignal();
  const report = useScene((s) => s.scene?.report);
  const stop = useView((s) => s.probe?.stop ?? null);
  const columns = data ? [data.before, data.after] : [];
  const bin = report && stop !== null ? Math.floor((stop - report.histogram_start) / report.histogram_bin) : -1;
  const best = data && (data.after ?? data.before);
  return (
    <Folded name="output" title="Output" aside={best ? `horizon ${number(best.horizon, 1, true)} EV` : undefined}>
      <div
        className="choice"
        title="The horizon and how far shadows can be lifted follow the size that the picture will have"
      >
        <Select
          size="small"
          variant="standard"
          value={output.by}
          inputProps={{ "aria-label": "Size of the output" }}
          onChange={(e) => useOutput.setState({ by: e.target.value })}
        >
          {Object.entries(BY).map(([by, name]) => (
            <MenuItem key={by} value={by}>
              {name}
            </MenuItem>
          ))}
        </Select>
        {output.by === "pixels" && (
          <span>
            <TypedNumber
              label="Long edge in pixels"
              value={output.pixels}
              decimals={0}
              plus={false}
              onSet={(v) => setOutput("pixels", v)}
            />{" "}
            px
          </span>
        )}
        {output.by === "print" && (
          <span>
            <TypedNumber
              label="Longer side in cm"
              value={output.cm}
              decimals={1}
              plus={false}
              onSet={(v) => setOutput("cm", v)}
            />{" "}
            cm at{" "}
            <TypedNumber
              label="Dots per inch"
              value={output.dpi}
              decimals={0}
              plus={false}
              onSet={(v) => setOutput("dpi", v)}
            />{" "}
            dpi
          </span>
        )}
      </div>
      {data && (
        <table className="plain thirds">
          <thead>
            <tr>
              <th>EV</th>
              <th>as taken</th>
              <th>cleaned</th>
            </tr>
          </thead>
          <tbody>
            <tr title="Below it, signal to noise is under 12 dB">
              <td>Noise horizon</td>
              {columns.map((c, i) => (
                <td key={i}>{c ? number(c.horizon, 1, true) : "–"}</td>
              ))}
            </tr>
            <tr title="From this stop up, light can be lifted to middle grey before its noise shows">
              <td>Lifts to grey from</td>
              {columns.map((c, i) => (
                <td key={i}>{c ? number(c.lifted, 1, true) : "–"}</td>
              ))}
            </tr>
            <tr title="By how much the light under the pointer can be lifted before its noise shows">
              <td>Pointer lifts by</td>
              {columns.map((c, i) => {
                const by = c?.liftable[bin] ?? null;
                return (
                  <td key={i}>{by === null || stop === null ? "–" : by >= -stop ? "to white" : number(by, 1, true)}</td>
                );
              })}
            </tr>
          </tbody>
        </table>
      )}
    </Folded>
  );
}
