import type { MendLayer, Origin, Patch, SolvedPatch } from "../../api/client";
import { choose, copiedFrom, middleOf, setPatch, useMend, useSolved } from "../../state/mend";
import { hold, release, store, useScene } from "../../state/scene";
import { useView } from "../../state/view";
import type { Point } from "../map";
import { path, sceneFromPane, sceneOnPane, useViewport } from "../viewport";
import { Grip } from "./Grip";

/** Pixels of the pane from the origin's middle to the handle that turns and scales it. */
const STEM = 46;

const pairs = (line: number[]): Point[] =>
  Array.from({ length: line.length / 2 }, (_, i): Point => [line[2 * i], line[2 * i + 1]]);

/** The outlines of all mends; of the one that is worked on the place that it is copied from as well, to be moved. */
export default function Patches() {
  const mend = useScene((s) => s.treatment?.mend);
  const { patch: chosen, without } = useMend();
  const busy = useView((s) => s.tool !== "pan");
  const { data } = useSolved(true);
  if (!mend || without) return null;
  return (
    <g className="patches">
      {data?.patches.map((solved) => {
        const layer = mend.find((one) => one.id === solved.layer);
        const patch = layer?.patches.find((one) => one.id === solved.id);
        if (!layer || !patch) return null;
        return (
          <OnePatch
            key={patch.id}
            {...{ layer, patch, solved, busy }}
            number={numberOf(mend, patch.id)}
            lit={chosen === patch.id}
          />
        );
      })}
    </g>
  );
}

/** Which mend it is, counted through all layers. */
const numberOf = (mend: MendLayer[], id: string) =>
  mend.flatMap((layer) => layer.patches).findIndex((p) => p.id === id) + 1;

interface Shown {
  layer: MendLayer;
  patch: Patch;
  solved: SolvedPatch;
  number: number;
  lit: boolean;
  busy: boolean;
}

function OnePatch({ layer, patch, solved, number, lit, busy }: Shown) {
  const lay = useViewport();
  const middle = middleOf(patch);
  const lines = solved.lines.map(pairs);
  const d = lines
    .map((line) =>
      path(
        line.map((p) => sceneOnPane(lay, p)),
        true,
      ),
    )
    .join(" ");
  const origin = patch.origin ?? solved.origin ?? null;
  return (
    <>
      {busy && !lit ? (
        <path className="patch-line" d={d} pointerEvents="none" />
      ) : (
        <g
          className={lit ? "patch-own lit" : "patch-own"}
          role="button"
          tabIndex={0}
          aria-label={`Mend ${number}`}
          aria-pressed={lit}
          pointerEvents={busy ? "none" : undefined}
          onClick={() => choose(layer.id, patch.id)}
          onKeyDown={(e) => e.key === "Enter" && choose(layer.id, patch.id)}
        >
          <path className="under" d={d} />
          <path className="line" d={d} />
        </g>
      )}
      {lit && origin && <OriginHandles {...{ layer: layer.id, patch, origin, middle, lines, number }} />}
    </>
  );
}

interface Handles {
  layer: string;
  patch: Patch;
  origin: Origin;
  middle: Point;
  lines: Point[][];
  number: number;
}

/** The same outline where the patch is copied from, joined to it by a thin line: moved as a whole, turned and scaled by its stem. */
function OriginHandles({ layer, patch, origin, middle, lines, number }: Handles) {
  const lay = useViewport();
  const there: Point = [middle[0] + origin.shift[0], middle[1] + origin.shift[1]];
  const [cx, cy] = sceneOnPane(lay, there);
  const [mx, my] = sceneOnPane(lay, middle);
  const shape = lines
    .map((line) =>
      path(
        line.map((p) => sceneOnPane(lay, copiedFrom(origin, middle, p))),
        true,
      ),
    )
    .join(" ");
  const angle = (-origin.turn * Math.PI) / 180;
  const reach = STEM / origin.scale;
  const stem: Point = [cx + reach * Math.cos(angle), cy + reach * Math.sin(angle)];
  const drop = () => {
    release();
    store("Where a mend is copied from");
  };
  const move = () => {
    hold();
    return (from: Point, to: Point) => {
      const [a, b] = [sceneFromPane(lay, from), sceneFromPane(lay, to)];
      const held = (v: number) => Math.min(4, Math.max(-4, v));
      const shift: Point = [held(origin.shift[0] + b[0] - a[0]), held(origin.shift[1] + b[1] - a[1])];
      setPatch(layer, patch.id, { origin: { ...origin, shift }, other: null });
    };
  };
  const turn = () => {
    hold();
    return (from: Point, to: Point) => {
      const angleOf = (p: Point) => (Math.atan2(p[1] - cy, p[0] - cx) * 180) / Math.PI;
      const far = (p: Point) => Math.max(Math.hypot(p[0] - cx, p[1] - cy), 1);
      const by = ((origin.turn - angleOf(to) + angleOf(from) + 540) % 360) - 180;
      const scale = Math.min(4, Math.max(0.25, (origin.scale * far(from)) / far(to)));
      // What is nearly as it was is as it was: pixels are then copied as they are.
      const plain = Math.abs(by) < 1.5 && Math.abs(scale - 1) < 0.03;
      setPatch(layer, patch.id, {
        origin: {
          ...origin,
          turn: plain ? 0 : Math.round(by * 10) / 10,
          scale: plain ? 1 : Math.round(scale * 100) / 100,
        },
      });
    };
  };
  return (
    <>
      <path
        className="patch-joint"
        d={path([
          [mx, my],
          [cx, cy],
        ])}
        pointerEvents="none"
      />
      <Grip
        label={`Mend ${number}, where it is copied from: moves it`}
        d={shape}
        cursor="move"
        filled
        anchor={[cx, cy]}
        grab={move}
        drop={drop}
      />
      <Grip
        label={`Mend ${number}, stem: turns and scales what is copied`}
        d={`M ${cx} ${cy} L ${stem[0]} ${stem[1]} m -4 0 a 4 4 0 1 0 8 0 a 4 4 0 1 0 -8 0`}
        cursor="grab"
        anchor={stem}
        grab={turn}
        drop={drop}
      />
    </>
  );
}
