import type { LensPlot as Plot } from "../../api/client";
import { number } from "../../units";

const WIDTH = 210;
const HEIGHT = 26;

interface StripProps {
  title: string;
  unit: string;
  radius: number[];
  lines: { values: number[]; dashed?: boolean; says?: string }[];
  /** Least height of the scale, so that what is nothing looks like nothing. */
  least: number;
}

/** One fault of the lens from the middle, on the left, to the corner. */
function Strip({ title, unit, radius, lines, least }: StripProps) {
  const most = Math.max(least, ...lines.flatMap((line) => line.values.map(Math.abs)));
  const x = (r: number) => r * WIDTH;
  const y = (v: number) => HEIGHT / 2 - (v / most) * (HEIGHT / 2 - 2);
  const corner = lines
    .map((line) => `${line.says ?? ""}${number(line.values[line.values.length - 1] ?? 0, 2, true)}`)
    .join(" ");
  return (
    <div className="measure">
      <span>{title}</span>
      <span className="value">
        {corner} {unit}
      </span>
      <svg
        viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
        preserveAspectRatio="none"
        role="img"
        aria-label={`${title} from the middle to the corner: ${corner} ${unit} at the corner`}
      >
        <line x1={0} x2={WIDTH} y1={HEIGHT / 2} y2={HEIGHT / 2} className="zero" />
        {lines.map((line, i) => (
          <polyline
            key={i}
            points={radius.map((r, k) => `${x(r)},${y(line.values[k])}`).join(" ")}
            strokeDasharray={line.dashed ? "4 3" : undefined}
          />
        ))}
      </svg>
    </div>
  );
}

/** What is taken back of the lens, over the way from the picture's middle to its corner. */
export function LensPlot({ plot }: { plot: Plot }) {
  return (
    <div className="lens-plot" data-testid="lens-plot">
      <Strip title="Distortion" unit="%" radius={plot.radius} lines={[{ values: plot.distortion }]} least={0.5} />
      <Strip
        title="Fringes"
        unit="‰"
        radius={plot.radius}
        lines={[
          { values: plot.red, says: "red " },
          { values: plot.blue, dashed: true, says: "blue " },
        ]}
        least={0.2}
      />
      <Strip
        title="Fall-off"
        unit="EV"
        radius={plot.radius}
        lines={[{ values: plot.falloff.map((v) => -v) }]}
        least={0.3}
      />
    </div>
  );
}
