import { toggleProof } from "../state/proofing";
import type { NavigateFunction } from "react-router-dom";

import type { Step } from "../api/client";
import { backToStart } from "../state/changes";

import { preview, redo, store, undo, useScene } from "../state/scene";
import { type StationName, STATION_NAMES, type ToolName } from "../names";
import { areaOf, turnInsideOut, useAreas } from "../state/areas";
import { toggleAside } from "../state/aside";
import { compareStart } from "../state/compare";
import { markHere } from "../state/history";
import { again, fromFrame, removePatch, useMend } from "../state/mend";
import { nextMaskWay } from "../state/maskShown";
import { resizeBrush, turnAbout } from "../state/painting";
import { useCropping } from "../state/cropping";
import { GUIDES } from "../picture/guides";
import { withValue } from "../state/values";
import { toggleSides } from "../state/room";
import { setView, showAt, toggleZoom, useView } from "../state/view";

/** What a key needs to know of where it is pressed. */
export interface Context {
  station: StationName;
  go: NavigateFunction;
  showKeys: () => void;
  steps: () => Step[];
}

export interface Key {
  /** As the list shown by `?` writes it. */
  shown: string;
  says: string;
  /** Combinations, as tinykeys writes them; none for keys that a focused part answers itself. */
  keys?: string[];
  /** Station without which it does nothing. */
  station?: StationName;
  press?: (context: Context, e: KeyboardEvent) => void;
  /** What happens when it is let go again. */
  lift?: () => void;
}

/** Stations that digits go to. */
const DIGITS = 9;
const goTo = (go: NavigateFunction, station: StationName) =>
  void go(`/scenes/${useScene.getState().scene?.id}/${station}`);

function toggleTool(tool: ToolName) {
  useView.setState((s) => ({ tool: s.tool === tool ? "pan" : tool }));
}

function standOrLie() {
  preview((t) => withValue(t, ["crop", "portrait"], !t.crop.portrait));
  store("Standing or lying");
}

function nextGuide() {
  const names = Object.keys(GUIDES) as (keyof typeof GUIDES)[];
  useCropping.setState((s) => ({ guide: names[(names.indexOf(s.guide) + 1) % names.length] }));
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

/** Every key of the workbench, once: what it is, what it says in the list, what it does. */
export const KEYS: Key[] = [
  {
    shown: `1 – ${DIGITS}`,
    says: "Go to a station",
    keys: STATION_NAMES.slice(0, DIGITS).map((_, i) => `${i + 1}`),
    press: ({ go }, e) => goTo(go, STATION_NAMES[Number(e.key) - 1]),
  },
  { shown: "Shift D", says: "Go to Deliver", keys: ["Shift+D"], press: ({ go }) => goTo(go, "deliver") },
  { shown: "Z", says: "100 % and back", keys: ["z"], press: () => toggleZoom(pointed()) },
  { shown: "Shift Z", says: "200 % and back", keys: ["Shift+Z"], press: () => showAt(2, pointed()) },
  { shown: "Space", says: "Hold to move the picture with any tool in hand; the middle button does so too" },
  { shown: "Wheel", says: "Zoom where the pointer is; two fingers on a touchpad do so too" },
  { shown: "F", says: "Fit the picture", keys: ["f"], press: () => useView.setState({ zoom: null, centre: null }) },
  {
    shown: "B",
    says: "Hold to see the untreated start",
    keys: ["b"],
    press: () => useView.setState({ glance: "untreated" }),
    lift: () => useView.setState({ glance: null }),
  },
  { shown: "Shift H", says: "The history, marks and takes", keys: ["Shift+H"], press: () => toggleAside("history") },
  { shown: "Shift E", says: "Presets", keys: ["Shift+E"], press: () => toggleAside("presets") },
  { shown: "Shift W", says: "What each step does", keys: ["Shift+W"], press: () => toggleAside("steps") },
  { shown: "Shift O", says: "The soft proof on and off", keys: ["Shift+O"], press: toggleProof },
  { shown: "Shift M", says: "Keep this state as a mark", keys: ["Shift+M"], press: () => void markHere() },
  {
    shown: "Shift C",
    says: "Compare with the start by a seam, and end comparing",
    keys: ["Shift+C"],
    press: () => void compareStart(),
  },
  {
    shown: "V",
    says: "Hold to see all the noise",
    keys: ["v"],
    press: () => useView.setState({ glance: "noisy" }),
    lift: () => useView.setState({ glance: null }),
  },
  {
    shown: "U",
    says: "What is taken out as noise, at Noise",
    keys: ["u"],
    station: "noise",
    press: () => setView("taken"),
  },
  {
    shown: "I",
    says: "A patch at several strengths, at Noise",
    keys: ["i"],
    station: "noise",
    press: () => toggleTool("patch"),
  },
  {
    shown: "Shift F",
    says: "Room for the picture: ladder and panel out of the way, and back; they come at the border",
    keys: ["Shift+F"],
    press: () => toggleSides("ladder", "panel"),
  },
  {
    shown: "0",
    says: "Nothing but the picture, and back",
    keys: ["0"],
    press: () => toggleSides("ladder", "panel", "lines"),
  },
  { shown: "Shift L", says: "The ladder out of the way", keys: ["Shift+L"], press: () => toggleSides("ladder") },
  { shown: "Shift P", says: "The panel out of the way", keys: ["Shift+P"], press: () => toggleSides("panel") },
  { shown: "L", says: "Limits view", keys: ["l"], press: () => setView("limits") },
  {
    shown: "X",
    says: "Hold to see a cast: colours exaggerated, most in the dark",
    keys: ["x"],
    press: () => useView.setState({ glance: "cast" }),
    lift: () => useView.setState({ glance: null }),
  },
  { shown: "H", says: "Stops view", keys: ["h"], press: () => setView("stops") },
  { shown: "Y", says: "Noise view", keys: ["y"], press: () => setView("noise") },
  {
    shown: "Shift Y",
    says: "Noise view with noise taken out, at Noise",
    keys: ["Shift+Y"],
    station: "noise",
    press: () => setView("left"),
  },
  { shown: "S", says: "Source view", keys: ["s"], press: () => setView("source") },
  {
    shown: "R",
    says: "Lost light: what every frame has clipped, and what was rebuilt, at Merge and Light",
    keys: ["r"],
    press: ({ station }) => (station === "light" || station === "merge") && setView("lost"),
  },
  {
    shown: "Shift R",
    says: "Which place has which of two lights, at Light",
    keys: ["Shift+R"],
    station: "light",
    press: () => setView("lights"),
  },
  {
    shown: "Q",
    says: "Loupe: 100 % under the pointer",
    keys: ["q"],
    press: () => useView.setState((s) => ({ loupe: !s.loupe })),
  },
  { shown: "M", says: "Moved regions, at Merge", keys: ["m"], station: "merge", press: () => setView("moved") },
  {
    shown: "G",
    says: "Ground of a star stack, at Merge",
    keys: ["g"],
    station: "merge",
    press: () => setView("ground"),
  },
  {
    shown: "P",
    says: "Place on the picture, at Light",
    keys: ["p"],
    station: "light",
    press: () => toggleTool("place"),
  },
  {
    shown: "N",
    says: "Pick a neutral patch, at Light",
    keys: ["n"],
    station: "light",
    press: () => toggleTool("neutral"),
  },
  {
    shown: "C",
    says: "Take hold of the curve on the picture, at Light",
    keys: ["c"],
    station: "light",
    press: () => toggleTool("curve"),
  },
  {
    shown: "E",
    says: "Draw along a horizon or an edge, at Geometry",
    keys: ["e"],
    station: "geometry",
    press: () => toggleTool("plumb"),
  },
  {
    shown: "W",
    says: "Draw edges to straighten by, at Geometry",
    keys: ["w"],
    station: "geometry",
    press: () => toggleTool("edges"),
  },
  { shown: "T", says: "Crop standing or lying, at Geometry", keys: ["t"], station: "geometry", press: standOrLie },
  { shown: "O", says: "Other guides, at Geometry", keys: ["o"], station: "geometry", press: nextGuide },
  { shown: "C", says: "Pick a hue, at Colour", keys: ["c"], station: "colour", press: () => toggleTool("pick") },
  {
    shown: "K",
    says: "Which places a range of hues takes, at Colour",
    keys: ["k"],
    station: "colour",
    press: () => setView("range"),
  },
  {
    shown: "O",
    says: "What falls outside the delivered space, at Colour",
    keys: ["o"],
    station: "colour",
    press: () => setView("outside"),
  },
  { shown: "D", says: "Draw a gradient, at Areas", keys: ["d"], station: "areas", press: () => toggleTool("gradient") },
  { shown: "C", says: "Draw an ellipse, at Areas", keys: ["c"], station: "areas", press: () => toggleTool("ellipse") },
  { shown: "P", says: "Paint a mask, at Areas", keys: ["p"], station: "areas", press: () => toggleTool("paint") },
  {
    shown: "T",
    says: "Take light that is clicked, at Areas",
    keys: ["t"],
    station: "areas",
    press: () => toggleTool("lightPicker"),
  },
  {
    shown: "E",
    says: "Take colours that are clicked, at Areas",
    keys: ["e"],
    station: "areas",
    press: () => toggleTool("colourPicker"),
  },
  {
    shown: "G",
    says: "Grow a region from a press, at Areas",
    keys: ["g"],
    station: "areas",
    press: () => toggleTool("grow"),
  },
  { shown: "O", says: "A pool of light, at Areas", keys: ["o"], station: "areas", press: () => toggleTool("pool") },
  {
    shown: "G",
    says: "Paint glow from a lamp outwards, at Finish",
    keys: ["g"],
    station: "finish",
    press: () => toggleTool("glowBrush"),
  },
  {
    shown: ", .",
    says: "Smaller or larger brush, at Finish",
    keys: [",", "."],
    station: "finish",
    press: (_, e) => resizeBrush(e.key === "." ? 1.15 : 1 / 1.15),
  },
  {
    shown: "W",
    says: "Draw a vignette from its middle, at Finish",
    keys: ["w"],
    station: "finish",
    press: () => toggleTool("vignette"),
  },
  { shown: "N", says: "Dodge and burn, at Areas", keys: ["n"], station: "areas", press: () => toggleTool("dodgeBurn") },
  { shown: "Shift N", says: "Brighten or darken, at Areas", keys: ["Shift+N"], station: "areas", press: turnAbout },
  {
    shown: ", .",
    says: "Smaller or larger brush, at Areas",
    keys: [",", "."],
    station: "areas",
    press: (_, e) => resizeBrush(e.key === "." ? 1.15 : 1 / 1.15),
  },
  { shown: "Alt wheel", says: "Size of the brush, at Areas", station: "areas" },
  { shown: "Shift wheel", says: "Hardness of the brush, at Areas", station: "areas" },
  {
    shown: "Shift A",
    says: "The mask over the picture and back, at Areas",
    keys: ["Shift+A"],
    station: "areas",
    press: () => useAreas.setState((s) => ({ seeing: !s.seeing })),
  },
  {
    shown: "J",
    says: "Hold to see without the area, at Areas",
    keys: ["j"],
    station: "areas",
    press: () => useAreas.setState({ without: "one" }),
    lift: () => useAreas.setState({ without: null }),
  },
  {
    shown: "Shift J",
    says: "Hold to see without all areas, at Areas",
    keys: ["Shift+J"],
    station: "areas",
    press: () => useAreas.setState({ without: "all" }),
    lift: () => useAreas.setState({ without: null }),
  },
  { shown: "A", says: "Area view, at Areas", keys: ["a"], station: "areas", press: () => setView("area") },
  {
    shown: "Shift K",
    says: "How masks are seen, also during a stroke: contours, grey outside, alone, a wash, nothing; at Areas",
    keys: ["Shift+K"],
    station: "areas",
    press: nextMaskWay,
  },
  {
    shown: "I",
    says: "The mask inside out: everything is emptied, to be painted in; at Areas",
    keys: ["i"],
    station: "areas",
    press: () => {
      const area = areaOf(useAreas.getState().selected);
      if (area) turnInsideOut(area);
    },
  },
  { shown: "Shift click", says: "Select the topmost area there, at Areas", station: "areas" },
  {
    shown: "Alt click",
    says: "On another area of the list: it takes the selected one’s dials, at Areas",
    station: "areas",
  },
  {
    shown: "K",
    says: "What is sharpened for viewing, at Finish",
    keys: ["k"],
    station: "finish",
    press: () => setView("sharp"),
  },
  { shown: "K", says: "The mask alone, at Areas", keys: ["k"], station: "areas", press: () => setView("mask") },
  {
    shown: "D",
    says: "Mend a spot, or along a stroke; Alt: straight; at Mend",
    keys: ["d"],
    station: "mend",
    press: () => toggleTool("mend"),
  },
  {
    shown: "O",
    says: "Mend what is outlined, at Mend",
    keys: ["o"],
    station: "mend",
    press: () => toggleTool("mendOutline"),
  },
  {
    shown: "C",
    says: "Copy from a place that Ctrl chooses, at Mend",
    keys: ["c"],
    station: "mend",
    press: () => toggleTool("mendCopy"),
  },
  {
    shown: "G",
    says: "What dust would look like, at Mend",
    keys: ["g"],
    station: "mend",
    press: () => setView("dust"),
  },
  { shown: "N", says: "Another try for the mend, at Mend", keys: ["n"], station: "mend", press: again },
  {
    shown: "Shift N",
    says: "The mend shows what another frame saw, at Mend",
    keys: ["Shift+N"],
    station: "mend",
    press: fromFrame,
  },
  {
    shown: "J",
    says: "Hold to see without mends, at Mend",
    keys: ["j"],
    station: "mend",
    press: () => useMend.setState({ without: true }),
    lift: () => useMend.setState({ without: false }),
  },
  {
    shown: ", .",
    says: "Smaller or larger brush, at Mend",
    keys: [",", "."],
    station: "mend",
    press: (_, e) => resizeBrush(e.key === "." ? 1.15 : 1 / 1.15),
  },
  { shown: "Alt wheel", says: "Size of the brush, at Mend", station: "mend" },
  {
    shown: "Backspace",
    says: "The mend away, at Mend",
    keys: ["Backspace"],
    station: "mend",
    press: () => {
      const { layer, patch } = useMend.getState();
      if (layer && patch) removePatch(layer, patch);
    },
  },
  { shown: "Esc", says: "Put the tool down", keys: ["Escape"], press: () => useView.setState({ tool: "pan" }) },
  {
    shown: "← →",
    says: "Darker or brighter frame, at Frames",
    keys: ["ArrowLeft", "ArrowRight"],
    station: "frames",
    press: (_, e) => step(e.key === "ArrowRight" ? 1 : -1),
  },
  {
    shown: "Shift Backspace",
    says: "Back to the start with all steps; areas stay",
    keys: ["Shift+Backspace"],
    press: ({ steps }) => {
      preview((t) => backToStart(t, steps()));
      store("All steps back to the start");
    },
  },
  { shown: "Ctrl Z", says: "Undo", keys: ["$mod+z"], press: () => void undo() },
  { shown: "Ctrl Shift Z", says: "Redo", keys: ["$mod+Shift+z"], press: () => void redo() },
  {
    shown: "← → ↑ ↓",
    says: "Turn or move what is focused: a dial, a rung, an end point, a handle; with Shift in larger steps",
  },
  { shown: "Delete", says: "Put the focused dial or rung back" },
  { shown: "Enter or digits", says: "Type the focused rung’s EV" },
  { shown: "?", says: "This list", keys: ["?", "Shift+?"], press: ({ showKeys }) => showKeys() },
];
