import { type KeyboardEvent, type ReactNode, useEffect, useRef, useState } from "react";

import type { Dial as About } from "../api/client";
import { hold, preview, release, store, useScene } from "../state/scene";
import { automaticAt, numberAt, type Path, withValue } from "../state/values";
import { useDrag } from "../useDrag";
import { useNudge } from "../useNudge";
import { number } from "../units";
import { decimals, held, scaleOf } from "./dials";
import type { useHeld } from "./useHeld";

/** So near the thumb, in pixels, a press takes hold of it where it is. */
const NEAR = 9;

type Told = Pick<About, "title" | "help" | "unit" | "low" | "high" | "increment" | "scale" | "shows" | "default">;

interface Props {
  dial: Told;
  /** Where its value stands in the treatment. */
  path: Path;
  /** What stands before its name. */
  children?: ReactNode;
  /** What stands after it. */
  beside?: ReactNode;
  /** What its name does besides, where it stands for a whole step. */
  heading?: ReturnType<typeof useHeld>;
}

/** A dial of the treatment. */
export function Dial({ dial, path, children, beside, heading }: Props) {
  // Only its own numbers: other dials' values are none of its business.
  const own = useScene((s) => (s.treatment ? numberAt(s.treatment, path) : null));
  const auto = useScene((s) => automaticAt(s.scene, path, dial.default));
  return (
    <DialRow
      dial={dial}
      name={path.join(".")}
      own={own}
      auto={auto}
      show={(v) => preview((t) => withValue(t, path, v))}
      store={store}
      hold={hold}
      release={release}
      beside={beside}
      heading={heading}
    >
      {children}
    </DialRow>
  );
}

interface RowProps {
  dial: Told;
  /** What it is told apart by. */
  name: string;
  /** Its value; null if it is automatic, and what it comes to then, or its default. */
  own: number | null;
  auto: number;
  /** Show a value; null puts it back to automatic. */
  show: (value: number | null) => void;
  /** Keep the value that is shown. */
  store: (label: string) => void;
  hold: (view: string | null) => void;
  release: () => void;
  children?: ReactNode;
  beside?: ReactNode;
  heading?: ReturnType<typeof useHeld>;
}

/** One dial: its name, its value with unit, and a thin track with a mark at the automatic or default value. */
export function DialRow({ dial: p, name, own, auto, show, store, hold, release, children, beside, heading }: RowProps) {
  const [typed, setTyped] = useState<string | null>(null);
  const track = useRef<HTMLDivElement>(null);
  const wheel = useRef<(e: WheelEvent) => void>(() => {});

  const value = own ?? auto;
  const { share, value: valueAt } = scaleOf(p);
  const signed = p.low < 0 && p.unit !== "×";
  const clamp = (v: number) => held(p, v);
  /** Keys and wheel: the picture follows at once, the change is stored when they rest. */
  const rest = useNudge(() => {
    release();
    store(p.title);
  });
  const nudge = (v: number) =>
    rest(() => {
      hold(p.shows ?? null);
      show(clamp(v));
    });

  wheel.current = (e) => {
    e.preventDefault();
    nudge(value - Math.sign(e.deltaY) * p.increment * (e.shiftKey ? 10 : 1));
  };
  useEffect(() => {
    const target = track.current!;
    const turn = (e: WheelEvent) => wheel.current(e);
    target.addEventListener("wheel", turn, { passive: false });
    return () => target.removeEventListener("wheel", turn);
  }, []);

  const reset = () => {
    show(p.default ?? null);
    store(`${p.title} back`);
  };

  const drag = useDrag<{ x: number; share: number }>({
    begin: (e) => {
      const box = e.currentTarget.getBoundingClientRect();
      const near = Math.abs(e.clientX - box.left - share(value) * box.width) < NEAR;
      const start = { x: e.clientX, share: near ? share(value) : (e.clientX - box.left) / box.width };
      hold(p.shows ?? null);
      if (!near) show(clamp(valueAt(start.share)));
      return start;
    },
    move: (start, e) => {
      const fine = e.shiftKey ? 0.2 : 1;
      const way = ((e.clientX - start.x) / e.currentTarget.clientWidth) * fine;
      show(clamp(valueAt(Math.min(1, Math.max(0, start.share + way)))));
    },
    end: () => {
      release();
      store(p.title);
    },
  });
  const key = (e: KeyboardEvent) => {
    const by = { ArrowRight: 1, ArrowUp: 1, ArrowLeft: -1, ArrowDown: -1, PageUp: 10, PageDown: -10 }[e.key];
    if (by !== undefined) nudge(value + by * p.increment * (e.shiftKey ? 10 : 1));
    else if (e.key === "Home") nudge(p.low);
    else if (e.key === "End") nudge(p.high);
    else if (e.key === "Delete" || e.key === "Backspace") reset();
    else return;
    e.preventDefault();
    e.stopPropagation();
  };
  const enter = () => {
    if (typed === null) return;
    const v = Number(
      typed
        .replace("\u2212", "-")
        .replace(",", ".")
        .replace(/[^\d.+-]/g, ""),
    );
    setTyped(null);
    if (typed.trim() === "") return reset();
    if (!Number.isFinite(v) || clamp(v) === value) return;
    show(clamp(v));
    store(p.title);
  };

  const from = share(auto);
  const to = share(value);
  const text = number(value, decimals(p.increment), signed);
  return (
    <div className="dial" data-dial={name}>
      <div className="row">
        {children}
        <button
          className="name"
          {...heading}
          title={`${p.help} Double-click: back to ${p.default == null ? "automatic" : "the default"}.`}
          onDoubleClick={reset}
          tabIndex={-1}
        >
          {p.title}
        </button>
        {beside}
        <span className="value">
          <input
            aria-label={`${p.title} in ${p.unit}`}
            className={own === null ? "auto" : ""}
            title={own === null ? "automatic" : undefined}
            value={typed ?? text}
            onFocus={(e) => {
              setTyped(text);
              requestAnimationFrame(() => e.target.select());
            }}
            onChange={(e) => setTyped(e.target.value)}
            onBlur={enter}
            onKeyDown={(e) => {
              e.stopPropagation();
              if (e.key === "Enter") e.currentTarget.blur();
              if (e.key === "Escape") {
                setTyped(null);
                requestAnimationFrame(() => track.current?.focus());
              }
            }}
          />
          <span className="unit">{p.unit}</span>
        </span>
      </div>
      <div
        ref={track}
        className="track"
        role="slider"
        tabIndex={0}
        aria-label={p.title}
        aria-valuemin={p.low}
        aria-valuemax={p.high}
        aria-valuenow={value}
        aria-valuetext={`${text} ${p.unit}${own === null ? ", automatic" : ""}`}
        {...drag}
        onKeyDown={key}
      >
        <div
          className="fill"
          style={{ left: `${100 * Math.min(from, to)}%`, width: `${100 * Math.abs(to - from)}%` }}
        />
        <div className="mark" style={{ left: `${100 * from}%` }} />
        <div className="thumb" style={{ left: `${100 * to}%` }} />
      </div>
    </div>
  );
}
