import { useEffect, useMemo, useRef, useState } from "react";

import { beyondSeam, columnsOf, type Other, type Shown, useCompare } from "../state/compare";
import { useProofing } from "../state/proofing";
import { MARGIN } from "./geometry";
import { type DrawnPart, LatestRenders } from "./latestRenders";
import { drawOther } from "./paint";
import { Seam } from "./over/Seam";
import { sizeWanted } from "./useWanted";
import type { Viewport } from "./viewport";

interface Props {
  lay: Viewport;
  /** What is seen now. */
  now: Shown;
  uncropped: boolean;
  /** Whether the picture is moved about: then those may be coarse. What a dial does is none of theirs. */
  coarse: boolean;
  /** Where the pointer is, in full-size pixels of the picture. */
  pointed: [number, number] | null;
}

/** The pictures that the present one is compared with, each over it or beside it, moved and zoomed along. */
export function Comparison(props: Props) {
  const others = useCompare((s) => s.others);
  const way = useCompare((s) => s.way);
  const seam = useCompare((s) => s.seam);
  const probes = useCompare((s) => s.probes);
  const { width, height } = props.lay.pane;
  const clip =
    way === "seam"
      ? `polygon(${beyondSeam(seam, width, height)
          .map(([x, y]) => `${(100 * x).toFixed(2)}% ${(100 * y).toFixed(2)}%`)
          .join(", ")})`
      : undefined;
  const columns = columnsOf(others.length + 1);
  const placeOf = (index: number) => ({
    left: width * (index % columns),
    top: height * Math.floor(index / columns),
  });
  return (
    <>
      <div className="others">
        {others.map((other, i) => (
          <OtherCanvas
            key={other.key}
            {...props}
            other={other}
            className={`other ${way}`}
            style={way === "beside" ? { ...placeOf(i + 1), width, height } : { width, clipPath: clip }}
          />
        ))}
      </div>
      {way === "seam" && others.length > 0 && <Seam width={width} height={height} />}
      {way === "beside" &&
        others.map((other, i) => (
          <span
            key={other.key}
            className="other-name"
            style={{ left: placeOf(i + 1).left + MARGIN, top: placeOf(i + 1).top + height - MARGIN }}
          >
            {other.title}
            {others.length > 1 && probes[other.key] && `, tone ${probes[other.key]!.tone.toFixed(0)} %`}
          </span>
        ))}
    </>
  );
}

interface OtherProps extends Props {
  other: Other;
  className: string;
  style: React.CSSProperties;
}

function OtherCanvas({ lay, now, uncropped, coarse, pointed, other, className, style }: OtherProps) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const [picture, setPicture] = useState<DrawnPart | null>(null);
  const renders = useRef<LatestRenders | null>(null);
  const { key } = other;
  const { prepared, treatment } = useMemo(() => other.shown(now), [other, now]);
  useEffect(() => {
    const made = new LatestRenders(
      (next) =>
        setPicture((last) => {
          last?.bitmap.close();
          return next;
        }),
      (probe) => useCompare.setState((s) => ({ probes: { ...s.probes, [key]: probe } })),
    );
    renders.current = made;
    return () => made.close();
  }, [key]);
  const proof = useProofing((s) => (s.on ? s.proof : null));
  const size = useMemo(() => sizeWanted(lay.pane, lay), [lay]);
  useEffect(() => {
    renders.current?.ask({
      prepared,
      treatment,
      uncropped,
      view: "picture",
      area: null,
      piece: null,
      range: null,
      ink: null,
      within: null,
      proof,
      coarse,
      ...size,
    });
  }, [prepared, treatment, uncropped, proof, coarse, size]);
  useEffect(() => renders.current?.probe(pointed), [pointed]);
  useEffect(() => drawOther(canvas.current!, lay, picture), [lay, picture]);
  return (
    <canvas
      ref={canvas}
      className={className}
      style={style}
      aria-label={`Compared with ${other.title}`}
      data-other={other.key}
      data-there={picture !== null}
    />
  );
}
