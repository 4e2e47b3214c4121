import { Checkbox } from "@mui/material";
import { useState } from "react";

import type { Step } from "../api/client";
import { useSteps } from "../api/queries";
import { changed } from "../state/changes";
import { useScene } from "../state/scene";

interface Chosen {
  /** Steps that were changed. */
  own: Step[];
  /** Names of those that are chosen. */
  steps: string[];
  isChosen: (step: Step) => boolean;
  turn: (what: string) => void;
  /** What was turned: steps that are not chosen, or are though they are not by themselves, and whatever else. */
  turned: ReadonlySet<string>;
}

/** Steps that were changed, and which of them are chosen; geometry belongs to the scene, and is so only if asked for. */
export function useChosenSteps(): Chosen {
  const treatment = useScene((s) => s.treatment);
  const all = useSteps().data ?? [];
  const [turned, setTurned] = useState<ReadonlySet<string>>(new Set());
  const own = treatment ? all.filter((step) => changed(step, treatment) > 0) : [];
  const isChosen = (step: Step) => turned.has(step.name) === (step.station === "geometry");
  const turn = (what: string) =>
    setTurned((before) => {
      const after = new Set(before);
      if (!after.delete(what)) after.add(what);
      return after;
    });
  return { own, steps: own.filter(isChosen).map((step) => step.name), isChosen, turn, turned };
}

/** The steps that were changed, each to be chosen or not. */
export function ChooseSteps({ chosen }: { chosen: Chosen }) {
  return chosen.own.map((step) => (
    <Choose key={step.name} title={step.title} checked={chosen.isChosen(step)} turn={() => chosen.turn(step.name)} />
  ));
}

/** Something to be taken or not. */
export function Choose({ title, checked, turn }: { title: string; checked: boolean; turn: () => void }) {
  return (
    <label className="choice">
      <span>{title}</span>
      <Checkbox
        color="default"
        checked={checked}
        onChange={turn}
        slotProps={{ input: { "aria-label": `Take ${title}` } }}
      />
    </label>
  );
}
