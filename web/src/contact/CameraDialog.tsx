import { Button, Dialog, DialogActions, DialogContent, DialogTitle, MenuItem, TextField } from "@mui/material";
import { useState } from "react";

import { answered, api } from "../api/client";
import { useCamera, useLimits } from "../api/queries";
import type { components } from "../api/schema";
import { told } from "../state/messages";
import { shutter } from "../units";

interface Setting {
  frames: number;
  step: number;
  iso: number;
  shake: number;
  shift: number;
  flaws: number;
  times: number;
  every: number;
  rise: number;
}

type Flaw = components["schemas"]["CameraIn"]["flaws_only"][number];

/** What a real sensor and lens do, by the names that the camera knows. */
const FLAWS: Record<Flaw, string> = {
  telegraph: "Sites that jump",
  weak: "Weak and dead sites",
  uneven: "Uneven sites",
  drift: "Black that drifts",
  glow: "A corner that glows",
  coding: "Lossy coding",
  glare: "Veil, ghosts and spikes",
  coma: "Coma",
  flicker: "Lamps that flicker",
  dust: "Dust",
  shake: "Sway in long exposures",
  aircraft: "Aircraft",
};

const FIELDS: { name: keyof Setting; title: string; step: number }[] = [
  { name: "frames", title: "Frames", step: 1 },
  { name: "step", title: "Step, EV (0 for a stack)", step: 0.5 },
  { name: "iso", title: "ISO", step: 50 },
  { name: "shake", title: "Shake, degrees (0 on a tripod)", step: 0.1 },
  { name: "shift", title: "Expose all more by, EV", step: 0.5 },
  { name: "flaws", title: "Flaws (1 as a real sensor has)", step: 0.5 },
  { name: "times", title: "How often (a series while it dawns)", step: 1 },
  { name: "every", title: "One every, seconds", step: 10 },
  { name: "rise", title: "It gets lighter by, EV", step: 1 },
];
/** What is told of a series alone. */
const OF_SERIES: (keyof Setting)[] = ["every", "rise"];
const START: Setting = { frames: 5, step: 2, iso: 100, shake: 0, shift: 0, flaws: 0, times: 1, every: 30, rise: 4 };

/** The simulated camera: shoot a Tarrowick scene again in another way, to see what a bracket should be. */
export default function CameraDialog({ onClose }: { onClose: () => void }) {
  const scenes = useCamera(true).data ?? [];
  const limits = useLimits("CameraIn").data;
  const [name, setName] = useState<string | null>(null);
  const [changed, setChanged] = useState<Partial<Setting>>({});
  const [only, setOnly] = useState<Flaw[]>([]);
  const scene = scenes.find((s) => s.name === name) ?? scenes[0];
  const setting: Setting = {
    ...START,
    ...(scene && { frames: scene.frames, step: scene.step, iso: scene.iso }),
    ...changed,
  };
  const choose = (next: string) => {
    setName(next);
    setChanged({});
  };
  const within = (f: keyof Setting) => limits?.[f] ?? { low: -Infinity, high: Infinity };
  const wrong = FIELDS.filter(
    (f) => !(setting[f.name] >= within(f.name).low && setting[f.name] <= within(f.name).high),
  );
  const times = scene
    ? [0, setting.frames - 1].map(
        (i) =>
          ((scene.middle_seconds * scene.iso) / setting.iso) *
          2 ** (setting.shift + setting.step * (i - Math.floor((setting.frames - 1) / 2))),
      )
    : [];
  const shoot = async () => {
    const job = await told(
      answered(api.POST("/api/camera", { body: { scene: scene.name, ...setting, flaws_only: only } })),
    );
    if (job) onClose();
  };
  return (
    <Dialog open onClose={onClose} aria-labelledby="camera-title" fullWidth maxWidth="xs">
      <DialogTitle id="camera-title">Simulated camera</DialogTitle>
      <DialogContent className="fields">
        <p className="dim">Shoot a Tarrowick scene in another way, and see what its frames cover.</p>
        <TextField select size="small" label="Scene" value={scene?.name ?? ""} onChange={(e) => choose(e.target.value)}>
          {scenes.map((s) => (
            <MenuItem key={s.name} value={s.name}>
              {s.title}
            </MenuItem>
          ))}
        </TextField>
        {FIELDS.filter((f) => setting.times > 1 || !OF_SERIES.includes(f.name)).map((f) => (
          <TextField
            key={f.name}
            size="small"
            type="number"
            label={f.title}
            value={Number.isNaN(setting[f.name]) ? "" : setting[f.name]}
            error={wrong.includes(f)}
            helperText={wrong.includes(f) ? `From ${within(f.name).low} to ${within(f.name).high}` : undefined}
            slotProps={{ htmlInput: { min: within(f.name).low, max: within(f.name).high, step: f.step } }}
            onChange={(e) => setChanged({ ...changed, [f.name]: e.target.value === "" ? NaN : Number(e.target.value) })}
          />
        ))}
        {setting.flaws > 0 && (
          <TextField
            select
            size="small"
            label="Which flaws"
            value={only}
            onChange={(e) => setOnly(e.target.value as unknown as Flaw[])}
            slotProps={{
              inputLabel: { shrink: true },
              select: {
                multiple: true,
                displayEmpty: true,
                renderValue: (names) => {
                  const titles = (names as Flaw[]).map((n) => FLAWS[n]);
                  return titles.length > 0 ? titles.join(", ") : "All of them";
                },
              },
            }}
          >
            {Object.entries(FLAWS).map(([name, title]) => (
              <MenuItem key={name} value={name}>
                {title}
              </MenuItem>
            ))}
          </TextField>
        )}
        {scene && wrong.length === 0 && (
          <p className="dim">
            {setting.frames === 1 || setting.step === 0
              ? shutter(times[0])
              : `${shutter(times[0])} to ${shutter(times[1])}`}{" "}
            at ISO {setting.iso}
          </p>
        )}
      </DialogContent>
      <DialogActions>
        <Button color="inherit" onClick={onClose}>
          Close
        </Button>
        <Button variant="contained" disabled={!scene || wrong.length > 0} onClick={() => void shoot()}>
          Shoot
        </Button>
      </DialogActions>
    </Dialog>
  );
}
