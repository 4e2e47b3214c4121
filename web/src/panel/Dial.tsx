import { type KeyboardEvent, type PointerEvent, useEffect, useRef, useState } from "react";

import type { Parameter } from "../api/client";
import { automaticOf, hold, preview, release, store, useScene, valueOf, withValue } from "../state/scene";
import { number } from "../units";

const decimals = (increment: number) => Math.max(0, Math.ceil(-Math.log10(increment) - 1e-9));

/** Share of the track at a value, and back. Temperatures are even in their reciprocal, as light is seen. */
function scaleOf(p: Parameter) {
  if (p.scale === "reciprocal") {
    const span = 1 / p.low - 1 / p.high;
    return {
      share: (v: number) => (1 / p.low - 1 / v) / span,
      value: (s: number) => 1 / (1 / p.low - s * span),
    };
  }
  return {
    share: (v: number) => (v - p.low) / (p.high - p.low),
    value: (s: number) => p.low + s * (p.high - p.low),
  };
}

/** One parameter: its name, its value with unit, and a thin track with a mark at the automatic or default value. */
export function Dial({ parameter: p }: { parameter: Parameter }) {
  const { scene, treatment } = useScene();
  const [typed, setTyped] = useState<string | null>(null);
  const track = useRef<HTMLDivElement>(null);
  const drag = useRef<{ x: number; share: number } | null>(null);
  const settle = useRef<number | undefined>(undefined);
  const wheel = useRef<(e: WheelEvent) => void>(() => {});

  const own = treatment ? valueOf(treatment, p) : null;
  const auto = automaticOf(scene, p);
  const value = own ?? auto;
  const { share, value: valueAt } = scaleOf(p);
  const signed = p.low < 0 && p.unit !== "×";
  const clamp = (v: number) => {
    const held = Math.min(p.high, Math.max(p.low, Math.round(v / p.increment) * p.increment));
    return Number(held.toFixed(decimals(p.increment)));
  };
  const show = (v: number | null) => preview((t) => withValue(t, p, v));

  /** Keys and wheel: the picture follows at once, the change is stored when they rest. */
  const nudge = (v: number) => {
    hold(p.shows ?? null);
    show(clamp(v));
    clearTimeout(settle.current);
    settle.current = window.setTimeout(() => {
      release();
      store(p.title);
    }, 350);
  };

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

  const down = (e: PointerEvent<HTMLDivElement>) => {
    e.currentTarget.setPointerCapture(e.pointerId);
    const box = e.currentTarget.getBoundingClientRect();
    const near = Math.abs(e.clientX - box.left - share(value) * box.width) < 9;
    drag.current = { x: e.clientX, share: near ? share(value) : (e.clientX - box.left) / box.width };
    hold(p.shows ?? null);
    if (!near) show(clamp(valueAt(drag.current.share)));
  };
  const move = (e: PointerEvent<HTMLDivElement>) => {
    if (!drag.current) return;
    const fine = e.shiftKey ? 0.2 : 1;
    const way = ((e.clientX - drag.current.x) / e.currentTarget.clientWidth) * fine;
    show(clamp(valueAt(Math.min(1, Math.max(0, drag.current.share + way)))));
  };
  const up = () => {
    if (!drag.current) return;
    drag.current = null;
    release();
    store(p.title);
  };
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
    const v = Number(typed.replace("\u2212", "-").replace(",", ".").replace(/[^\d.+-]/g, ""));
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
    <div className="dial" data-dial={`${p.step}.${p.name}`}>
      <div className="row">
        <button className="name" title={`${p.help} Double-click: back to ${p.default == null ? "automatic" : "the default"}.`} onDoubleClick={reset} tabIndex={-1}>
          {p.title}
        </button>
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
        onPointerDown={down}
        onPointerMove={move}
        onPointerUp={up}
        onPointerCancel={up}
        onKeyDown={key}
      >
        <div className="fill" style={{ left: `${100 * Math.min(from, to)}%`, width: `${100 * Math.abs(to - from)}%` }} />
        <div className="mark" style={{ left: `${100 * from}%` }} />
        <div className="thumb" style={{ left: `${100 * to}%` }} />
      </div>
    </div>
  );
}
