import { Button } from "@mui/material";
import { useEffect, useRef, useState } from "react";

import type { WholePreset } from "../api/client";
import { DialRow } from "../panel/Dial";
import { tell } from "../state/messages";
import {
  beginStrength,
  endStrength,
  forgetPreset,
  pictureOf,
  putOn,
  showStrength,
  takeIn,
  takeOff,
  useWholePresets,
} from "../state/presets";
import { useScene } from "../state/scene";
import { KeepPreset } from "./KeepPreset";

const STRENGTH = {
  title: "Strength",
  help: "Of what it does: none, as it was kept, or half as much again.",
  unit: "%",
  low: 0,
  high: 150,
  increment: 1,
  scale: "linear" as const,
  shows: null,
  default: 100,
};

/** Presets on the picture, each with its strength, and those that there are, seen on this scene. */
export function PresetsPanel() {
  const all = useWholePresets().data ?? [];
  const [typed, setTyped] = useState("");
  const found = all.filter(({ preset }) =>
    `${preset.name} ${preset.about}`.toLowerCase().includes(typed.trim().toLowerCase()),
  );
  return (
    <>
      <OnPicture />
      <div className="group">
        <h3>To put on</h3>
        <input
          className="typed name"
          aria-label="Find a preset"
          placeholder="find"
          value={typed}
          onChange={(e) => setTyped(e.target.value)}
          onKeyDown={(e) => e.stopPropagation()}
        />
      </div>
      <ul className="presets">
        {found.map(({ preset, own }) => (
          <PresetCard key={preset.name} preset={preset} own={own} />
        ))}
      </ul>
      <KeepPreset />
      <Files />
    </>
  );
}

/** Presets that are on the picture: turned down, or taken off again. */
function OnPicture() {
  const presets = useScene((s) => s.treatment?.presets);
  if (!presets?.length) return null;
  return (
    <section aria-label="On the picture">
      <div className="group">
        <h3>On the picture</h3>
      </div>
      {presets.map((one) => (
        <div key={one.id} className="applied" data-preset={one.name}>
          <div className="line">
            <b>{one.name}</b>
            <button className="quiet" onClick={() => void takeOff(one.id, one.name)}>
              take off
            </button>
          </div>
          <DialRow
            dial={STRENGTH}
            name={`preset.${one.id}`}
            own={one.strength}
            auto={STRENGTH.default}
            show={(v) => void showStrength(one.id, v ?? STRENGTH.default)}
            hold={beginStrength}
            release={() => {}}
            store={() => void endStrength(one.name)}
          />
        </div>
      ))}
    </section>
  );
}

/** A preset as it would look on this scene; a click puts it on. */
function PresetCard({ preset, own }: { preset: WholePreset; own: boolean }) {
  const card = useRef<HTMLLIElement>(null);
  const [picture, setPicture] = useState<string | null>(null);
  const [near, setNear] = useState(false);
  const revision = useScene((s) => s.revision);
  const prepared = useScene((s) => s.scene?.prepared);
  useEffect(() => {
    const watch = new IntersectionObserver(([e]) => setNear(e.isIntersecting));
    watch.observe(card.current!);
    return () => watch.disconnect();
  }, []);
  useEffect(() => {
    if (!near) return;
    const ends = new AbortController();
    pictureOf(preset, ends.signal)
      .then((next) => {
        if (ends.signal.aborted) return;
        setPicture((last) => {
          if (last) URL.revokeObjectURL(last);
          return next;
        });
      })
      .catch(() => {});
    return () => ends.abort();
  }, [preset, near, revision, prepared]);
  return (
    <li ref={card}>
      <button className="card" title={preset.about} onClick={() => void putOn(preset, 100)}>
        {picture ? <img src={picture} alt="" /> : <span className="blank" />}
        <span>{preset.name}</span>
      </button>
      {own && (
        <span className="acts">
          <a
            href={`data:application/json,${encodeURIComponent(JSON.stringify(preset, null, 1))}`}
            download={`${preset.name}.json`}
          >
            save
          </a>
          <button aria-label={`Forget the preset ${preset.name}`} onClick={() => void forgetPreset(preset.name)}>
            forget
          </button>
        </span>
      )}
    </li>
  );
}

/** Presets as files. */
function Files() {
  const input = useRef<HTMLInputElement>(null);
  const read = async (files: FileList | null) => {
    for (const file of files ?? []) {
      try {
        await takeIn(JSON.parse(await file.text()) as object);
      } catch {
        tell(`${file.name} is no preset: it cannot be read as JSON.`);
      }
    }
    if (input.current) input.current.value = "";
  };
  return (
    <div className="buttons">
      <Button size="small" variant="outlined" color="inherit" className="below" onClick={() => input.current?.click()}>
        From a file
      </Button>
      <input
        ref={input}
        type="file"
        accept=".json,application/json"
        multiple
        hidden
        aria-label="Files of presets"
        onChange={(e) => void read(e.target.files)}
      />
    </div>
  );
}
