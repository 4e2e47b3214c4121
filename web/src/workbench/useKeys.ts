import { useEffect } from "react";
import { useNavigate } from "react-router-dom";

import { redo, undo, useScene } from "../state/scene";
import { setView, toggleZoom, useView } from "../state/view";
import { type StationName, STATIONS } from "./stations";

/** Every key of the workbench, as the list shown by `?` has it. */
export const KEYS: [string, string][] = [
  ["1 – 4", "Go to a station"],
  ["Z", "100 % and back"],
  ["F", "Fit the picture"],
  ["B", "Hold to see the untreated start"],
  ["L", "Limits view"],
  ["S", "Source view"],
  ["M", "Moved regions"],
  ["G", "Ground of a star stack"],
  ["P", "Place on the picture, at Light"],
  ["N", "Pick a neutral patch, at Light"],
  ["← →", "Darker or brighter frame, at Frames"],
  ["Ctrl Z", "Undo"],
  ["Ctrl Shift Z", "Redo"],
  ["← → ↑ ↓", "Turn the focused dial, rung or end point; with Shift in larger steps"],
  ["Delete", "Put the focused dial or rung back"],
  ["?", "This list"],
];

export function useKeys(station: StationName, onKeys: () => void) {
  const go = useNavigate();
  useEffect(() => {
    const typing = (e: KeyboardEvent) => (e.target as HTMLElement).closest("input:not([type=checkbox]), textarea, [role=dialog], [role=listbox].MuiList-root");
    const down = (e: KeyboardEvent) => {
      if (typing(e)) return;
      const key = e.key.toLowerCase();
      if ((e.ctrlKey || e.metaKey) && key === "z") {
        e.preventDefault();
        void (e.shiftKey ? redo() : undo());
        return;
      }
      if (e.ctrlKey || e.metaKey || e.altKey) return;
      const id = useScene.getState().scene?.id;
      const number = Number(e.key);
      if (number >= 1 && number <= STATIONS.length) void go(`/scenes/${id}/${STATIONS[number - 1].name}`);
      else if (key === "z") toggleZoom(pointed());
      else if (key === "f") useView.setState({ zoom: null, centre: null });
      else if (key === "b") useView.setState({ comparing: true });
      else if (key === "l") setView("limits");
      else if (key === "s") setView("source");
      else if (key === "m") setView("moved");
      else if (key === "g") setView("ground");
      else if (key === "p" && station === "light") useView.setState((s) => ({ tool: s.tool === "place" ? "pan" : "place" }));
      else if (key === "n" && station === "light") useView.setState((s) => ({ tool: s.tool === "neutral" ? "pan" : "neutral" }));
      else if (e.key === "?") onKeys();
      else if (station === "frames" && (e.key === "ArrowRight" || e.key === "ArrowLeft")) step(e.key === "ArrowRight" ? 1 : -1);
      else return;
      e.preventDefault();
    };
    const up = (e: KeyboardEvent) => e.key.toLowerCase() === "b" && useView.setState({ comparing: false });
    const away = () => useView.setState({ comparing: false });
    window.addEventListener("keydown", down);
    window.addEventListener("keyup", up);
    window.addEventListener("blur", away);
    return () => {
      window.removeEventListener("keydown", down);
      window.removeEventListener("keyup", up);
      window.removeEventListener("blur", away);
    };
  }, [station, go, onKeys]);
}

function pointed(): [number, number] | undefined {
  const { probe } = useView.getState();
  return probe ? [probe.x, probe.y] : undefined;
}

function step(by: number) {
  const frames = useScene.getState().scene?.frames ?? [];
  const at = frames.findIndex((f) => f.id === useView.getState().frame);
  const next = frames[Math.min(frames.length - 1, Math.max(0, at + by))];
  if (next) useView.setState({ frame: next.id });
}
