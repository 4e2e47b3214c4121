import type { Dial } from "../api/client";
import { useSteps } from "../api/queries";
import { held } from "../panel/dials";
import { hold, preview, release, store } from "../state/scene";
import { withValue } from "../state/values";
import { useView } from "../state/view";
import { useDrag } from "../useDrag";
import { evAt, type Scale } from "./scale";

/** Tones from which an end is taken beyond what is shown. */
const NEAR = 20;

interface Props {
  scale: Scale;
  left: number;
  right: number;
}

/** White and black at the ends of the picture's histogram: each is dragged onto the tone that is to become it. */
export function EndGrips({ scale, left, right }: Props) {
  const dials = useSteps().data?.find((s) => s.name === "ends")?.parameters ?? [];
  return ["white", "black"].map((name) => {
    const dial = dials.find((p) => p.name === name);
    if (dial?.kind !== "dial") return null;
    return <EndGrip key={name} dial={dial} end={name === "white" ? 100 : 0} scale={scale} left={left} right={right} />;
  });
}

/** The EV of a tone in %, beyond an end as steep as it is near it. */
function evBeyond(tones: [number, number][], tone: number, end: number): number {
  const inner = end === 100 ? end - NEAR : end + NEAR;
  const outside = end === 100 ? tone > end : tone < end;
  if (!outside) return evAt(tones, tone);
  const [at, near] = [evAt(tones, end), evAt(tones, inner)];
  return at + ((at - near) * (tone - end)) / (end - inner);
}

function EndGrip({ dial, end, scale, left, right }: Props & { dial: Dial; end: 0 | 100 }) {
  const drag = useDrag<{ y: number; tones: [number, number][] }>({
    begin: (e) => {
      hold("limits");
      return { y: e.clientY, tones: useView.getState().tones };
    },
    move: (start, e) => {
      const perTone = scale.tone(0) - scale.tone(1);
      const tone = end + (start.y - e.clientY) / perTone;
      preview((t) => withValue(t, [dial.step, dial.name], held(dial, evBeyond(start.tones, tone, end))));
    },
    end: () => {
      release();
      store(dial.title);
    },
  });
  const y = scale.tone(end);
  return (
    <g className="handle end-grip" data-end={dial.name} {...drag}>
      <title>{`${dial.title}: drag it onto the tone that is to become ${dial.name}`}</title>
      <rect x={left} y={y - 9} width={right - left} height={18} fill="transparent" />
      <line x1={left} x2={right} y1={y} y2={y} />
    </g>
  );
}
