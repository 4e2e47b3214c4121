import { useEffect, useRef } from "react";

import { useScene } from "../state/scene";
import { useView } from "../state/view";
import { useStopsWithin } from "../state/within";
import { luminance, number } from "../units";
import { CoverageMarks } from "./CoverageMarks";
import { EndGrips } from "./EndGrips";
import { EndMarks } from "./EndMarks";
import { FrameBars } from "./FrameBars";
import { LampMarks } from "./LampMarks";
import { GlowMark } from "./GlowMark";
import { HdrMark } from "./HdrMark";
import { LightBracket } from "./LightBracket";
import { Placement } from "./Placement";
import { RungBand } from "./RungBand";
import { PointerMark } from "./PointerMark";
import { NoiseLines } from "./NoiseLines";
import { makeScale, span } from "./scale";
import { TintMarks } from "./TintMarks";
import { StopHistogram } from "./StopHistogram";
import { ToneHistogram } from "./ToneHistogram";
import { measureLadder, useLadderBox } from "./useLadderBox";

const FRAMES = 26;
const LABELS = 89;
const BARS = 97;
const RUNGS = 152;
const TONES = 205;

/** The light ladder: frames, histogram and placement on one scale of stops. */
export function Ladder({ station }: { station: string }) {
  const report = useScene((s) => s.scene?.report);
  const lines = useView((s) => s.ladder);
  const frame = useView((s) => s.frame);
  const pointed = useView((s) => s.probe?.frame ?? null);
  const light = useScene((s) => s.scene?.automatic?.luminance ?? null);
  const source = useView((s) => s.view === "source");
  const tones = useScene((s) => s.scene?.frame_tones);
  const frames = useScene((s) => s.scene?.frames);
  const within = useStopsWithin(station);
  const box = useRef<SVGSVGElement>(null);
  const height = useLadderBox((s) => s.height);
  useEffect(() => {
    if (!box.current) return;
    const svg = box.current;
    const watch = new ResizeObserver(() => measureLadder(svg));
    watch.observe(svg);
    return () => watch.disconnect();
  }, [report]);

  if (!report) {
    return (
      <aside className="ladder" aria-label="Light ladder">
        <header>
          <h2>Light ladder</h2>
        </header>
        <p className="dim inset">The stops of the scene stand here once its frames are merged.</p>
      </aside>
    );
  }

  const scale = makeScale(report, height);
  const [low, high] = span(report);
  const labels: number[] = [];
  for (let s = Math.ceil(low); s <= high; s++) labels.push(s);
  const marked = station === "frames" ? frames?.find((f) => f.id === frame)?.name : pointed;
  const clip = Math.max(...report.frames.map((f) => f.clip_stop));
  const covered = clip - Math.min(...report.frames.map((f) => f.noise_stop));

  return (
    <aside className="ladder" aria-label="Light ladder">
      <header>
        <h2>Light ladder</h2>
        <span className="dim">{(report.high_stop - report.low_stop).toFixed(1)} stops of light</span>
      </header>
      <svg ref={box} width={231} role="group" aria-label="Stops of the scene and their tones">
        {labels.map((s) => (
          <g key={s}>
            <text
              x={LABELS - 5}
              y={scale.y(s) + 3.5}
              fontSize={10.5}
              textAnchor="end"
              fill={s === 0 ? "var(--crenn-palette-text-primary)" : "var(--crenn-palette-text-secondary)"}
            >
              {s === 0 ? "0" : number(s, 0, true)}
            </text>
            <line
              x1={LABELS - 2}
              x2={LABELS + 4}
              y1={scale.y(s)}
              y2={scale.y(s)}
              stroke="var(--crenn-palette-divider)"
            />
          </g>
        ))}
        <FrameBars
          report={report}
          scale={scale}
          left={FRAMES}
          width={44}
          marked={marked}
          feeds={station === "merge"}
          tones={source ? tones : null}
        />
        {station === "merge" && <CoverageMarks report={report} scale={scale} left={FRAMES - 6} width={44} />}
        {station === "noise" ? (
          <NoiseLines report={report} scale={scale} left={BARS} width={48} />
        ) : (
          <StopHistogram
            report={report}
            scale={scale}
            left={BARS}
            width={48}
            within={station === "areas" ? within : null}
          />
        )}
        <RungBand scale={scale} left={BARS} right={RUNGS - 6} />
        <LampMarks report={report} scale={scale} x={RUNGS - 13} />
        <text x={TONES + 9} y={scale.top - 6} fontSize={10} textAnchor="end" fill="var(--crenn-palette-text-secondary)">
          tone
        </text>
        {Array.from({ length: 50 }, (_, i) => (
          <rect
            key={i}
            x={TONES}
            y={scale.tone((i + 1) * 2)}
            width={10}
            height={scale.tone(0) - scale.tone(2) + 0.5}
            fill={`hsl(0 0% ${i * 2 + 1}%)`}
          />
        ))}
        <rect
          x={TONES - 0.5}
          y={scale.top - 0.5}
          width={11}
          height={scale.bottom - scale.top + 1}
          fill="none"
          stroke="var(--crenn-palette-divider)"
        />
        {station !== "frames" && <ToneHistogram scale={scale} right={TONES - 1} width={TONES - RUNGS - 1} />}
        <Placement scale={scale} lines={lines} left={RUNGS} right={TONES - 1} movable={station === "light"} />
        <EndMarks scale={scale} lines={lines} x={RUNGS} movable={station === "light"} />
        {station !== "frames" && <EndGrips scale={scale} left={TONES - 10} right={TONES + 14} />}
        {station === "areas" && <LightBracket scale={scale} left={BARS - 4} width={56} />}
        {station === "finish" && <GlowMark scale={scale} left={BARS} right={RUNGS - 6} />}
        {station === "deliver" && <HdrMark scale={scale} left={BARS} right={RUNGS - 6} />}
        {station === "colour" && <TintMarks scale={scale} x={TONES + 11} />}
        <PointerMark scale={scale} lines={lines} left={RUNGS} right={TONES} />
      </svg>
      <footer className="dim">
        <span>Frames cover {covered.toFixed(1)} stops</span>
        {light !== null && (
          <span title="Luminance of the bulk of the scene, by exposure time, aperture and ISO of the reference frame">
            mostly {luminance(light)}
          </span>
        )}
      </footer>
    </aside>
  );
}
