import { Button } from "@mui/material";
import { type KeyboardEvent, memo, useMemo, useRef, useState } from "react";

import type { History, HistoryEntry } from "../api/client";
import { NameInput } from "../panel/NameInput";
import { backTo, beginTake, forgetMark, freeName, keepMark, see, unsee, useHistory, useSeen } from "../state/history";
import { takeUp } from "../state/carried";
import { useScene } from "../state/scene";
import { STATIONS } from "../workbench/stations";
import { CompareMenu } from "./CompareMenu";
import { CompareButton } from "./CompareButton";
import { SmallPicture } from "./SmallPicture";
import { Takes } from "./Takes";

const TITLES = Object.fromEntries(STATIONS.map((s) => [s.name, s.title]));

/** When something was done: the time of today, the day of what lies farther back. */
function when(created: string): string {
  const at = new Date(created);
  const today = at.toDateString() === new Date().toDateString();
  return today
    ? at.toLocaleTimeString([], { hour: "2-digit", minute: "2-digit", hourCycle: "h23" })
    : at.toLocaleDateString([], { day: "numeric", month: "short" });
}

/** Whether an entry holds all that is typed. */
function holds(entry: HistoryEntry, typed: string): boolean {
  const text = `${entry.label} ${TITLES[entry.station ?? ""] ?? ""} ${entry.marks.join(" ")}`.toLowerCase();
  return typed
    .toLowerCase()
    .split(/\s+/)
    .every((word) => text.includes(word));
}

/** What was done in the scene, its marks and takes: the picture follows what is pointed at. */
export function HistoryPanel() {
  const history = useHistory().data;
  const [typed, setTyped] = useState("");
  const file = useRef<HTMLInputElement>(null);
  const found = useMemo(
    () => (history?.entries ?? []).filter((e) => holds(e, typed.trim())).reverse(),
    [history, typed],
  );
  if (!history) return null;
  return (
    <>
      <Takes history={history} />
      <Marks history={history} />
      <div className="group">
        <h3>What was done</h3>
        <input
          className="typed name"
          aria-label="Find in the history"
          placeholder="find"
          value={typed}
          onChange={(e) => setTyped(e.target.value)}
          onKeyDown={(e) => e.stopPropagation()}
        />
      </div>
      <Entries entries={found} />
      <div className="row spaced">
        <CompareMenu className="quiet">compare with…</CompareMenu>
        <button
          className="quiet"
          title="Do again what was done to a file that was delivered, or to one of another scene"
          onClick={() => file.current?.click()}
        >
          as in a delivered file…
        </button>
        <input
          ref={file}
          type="file"
          hidden
          accept=".jpg,.jpeg,.png,.tif,.tiff,.avif,.webp"
          data-testid="delivered"
          onChange={(e) => {
            const chosen = e.target.files?.[0];
            if (chosen) void takeUp(chosen);
            e.target.value = "";
          }}
        />
      </div>
    </>
  );
}

/** States that were kept by a name. */
function Marks({ history }: { history: History }) {
  const name = freeName(
    "Mark",
    history.marks.map((m) => m.name),
  );
  return (
    <section aria-label="Marks">
      <div className="group">
        <h3>Marks</h3>
        <Button
          size="small"
          variant="outlined"
          color="inherit"
          title="Keeps the present state by a name. Key Shift M"
          onClick={() => void keepMark(name, null)}
        >
          Keep this
        </Button>
      </div>
      {history.marks.length === 0 && <p className="dim">None is kept yet.</p>}
      <ul className="states" onPointerLeave={unsee}>
        {history.marks.map((mark) => (
          <li key={mark.name} onPointerEnter={() => see(mark.revision)}>
            <SmallPicture revision={mark.revision} />
            <div>
              <NameInput
                label={`Name of the mark ${mark.name}`}
                name={mark.name}
                longest={60}
                onName={(next) => {
                  void keepMark(next, mark.revision).then(() => forgetMark(mark.name));
                  return true;
                }}
              />
              <div className="acts">
                <button title="This state again; undo leads back" onClick={() => void backTo(mark.revision, mark.name)}>
                  back to it
                </button>
                <CompareButton revision={mark.revision} title={mark.name} />
                <button onClick={() => void beginTake(`From ${mark.name}`, mark.revision)}>new take</button>
                <button aria-label={`Forget the mark ${mark.name}`} onClick={() => void forgetMark(mark.name)}>
                  forget
                </button>
              </div>
            </div>
          </li>
        ))}
      </ul>
    </section>
  );
}

/** The line of changes, the newest first; arrow keys walk along it, Enter has a state again. */
function Entries({ entries }: { entries: HistoryEntry[] }) {
  const seen = useSeen((s) => s.revision);
  const busy = useScene((s) => s.storing !== "stored");
  const at = entries.findIndex((e) => e.revision === seen);
  const key = (e: KeyboardEvent) => {
    // What stands in a row answers its own keys.
    if (e.target !== e.currentTarget) return;
    const by = { ArrowUp: -1, ArrowDown: 1 }[e.key];
    const here =
      at >= 0
        ? at
        : Math.max(
            entries.findIndex((one) => one.here),
            0,
          );
    if (by !== undefined) {
      const next = entries[Math.min(entries.length - 1, Math.max(0, here + by))];
      if (next) see(next.revision);
    } else if (e.key === "Enter" && at >= 0) void backTo(entries[at].revision, entries[at].label);
    else if (e.key === "Escape") unsee();
    else return;
    e.preventDefault();
    e.stopPropagation();
  };
  return (
    <ol
      className="history"
      tabIndex={0}
      aria-label="History"
      data-busy={busy}
      onKeyDown={key}
      onBlur={unsee}
      onPointerLeave={unsee}
    >
      {entries.map((entry) => (
        <Entry key={entry.revision} entry={entry} seen={entry.revision === seen} />
      ))}
    </ol>
  );
}

/** One change; hundreds of them stand below each other, of which one or two change while they are walked along. */
const Entry = memo(function Entry({ entry, seen }: { entry: HistoryEntry; seen: boolean }) {
  return (
    <li
      className={`${entry.place}${seen ? " seen" : ""}`}
      aria-current={entry.here ? "step" : undefined}
      title={
        entry.place === "branch"
          ? "On a branch that was left; click to have this state again"
          : entry.here
            ? "The present state"
            : "Click to have this state again; undo leads back"
      }
      onPointerEnter={() => see(entry.revision)}
      onClick={() => !entry.here && void backTo(entry.revision, entry.label)}
    >
      <span className="label">
        {entry.label}
        {entry.moves > 1 && <i> ×{entry.moves}</i>}
        {entry.marks.map((mark) => (
          <b key={mark}>{mark}</b>
        ))}
      </span>
      <span className="dim">{TITLES[entry.station ?? ""] ?? ""}</span>
      <time className="dim" dateTime={entry.created}>
        {when(entry.created)}
      </time>
      <CompareButton revision={entry.revision} title={entry.label} />
    </li>
  );
});
