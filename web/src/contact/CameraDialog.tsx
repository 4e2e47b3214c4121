import { Button, Dialog, DialogActions, DialogContent, DialogTitle, MenuItem, TextField } from "@mui/material";
import { useEffect, useState } from "react";

import { answered, api, type CameraScene } from "../api/client";
import { told } from "../state/messages";
import { shutter } from "../units";

interface Setting {
  frames: number;
  step: number;
  iso: number;
  shake: number;
  shift: number;
}

const FIELDS: { name: keyof Setting; title: string; low: number; high: number; step: number }[] = [
  { name: "frames", title: "Frames", low: 1, high: 60, step: 1 },
  { name: "step", title: "Step, EV (0 for a stack)", low: 0, high: 4, step: 0.5 },
  { name: "iso", title: "ISO", low: 50, high: 25600, step: 50 },
  { name: "shake", title: "Shake, degrees (0 on a tripod)", low: 0, high: 1.5, step: 0.1 },
  { name: "shift", title: "Expose all more by, EV", low: -6, high: 6, step: 0.5 },
];

/** The simulated camera: shoot a Tarrowick scene again in another way, to see what a bracket should be. */
export function CameraDialog({ open, onClose }: { open: boolean; onClose: () => void }) {
  const [scenes, setScenes] = useState<CameraScene[]>([]);
  const [name, setName] = useState("");
  const [setting, setSetting] = useState<Setting>({ frames: 5, step: 2, iso: 100, shake: 0, shift: 0 });
  const scene = scenes.find((s) => s.name === name);
  const choose = (s: CameraScene) => {
    setName(s.name);
    setSetting({ frames: s.frames, step: s.step, iso: s.iso, shake: 0, shift: 0 });
  };
  useEffect(() => {
    if (!open || scenes.length) return;
    void told(answered(api.GET("/api/camera"))).then((list) => {
      if (!list) return;
      setScenes(list);
      choose(list[0]);
    });
  }, [open, scenes.length]);
  const wrong = FIELDS.filter((f) => !(setting[f.name] >= f.low && setting[f.name] <= f.high));
  const times = scene
    ? [0, setting.frames - 1].map((i) => (scene.middle_seconds * scene.iso) / setting.iso * 2 ** (setting.shift + setting.step * (i - Math.floor((setting.frames - 1) / 2))))
    : [];
  const shoot = async () => {
    const job = await told(answered(api.POST("/api/camera", { body: { scene: name, ...setting } })));
    if (job) onClose();
  };
  return (
    <Dialog open={open} onClose={onClose} aria-labelledby="camera-title" fullWidth maxWidth="xs">
      <DialogTitle id="camera-title">Simulated camera</DialogTitle>
      <DialogContent sx={{ display: "grid", gap: 2 }}>
        <p className="dim">Shoot a Tarrowick scene in another way, and see what its frames cover.</p>
        <TextField select size="small" label="Scene" value={name} onChange={(e) => choose(scenes.find((s) => s.name === e.target.value)!)}>
          {scenes.map((s) => (
            <MenuItem key={s.name} value={s.name}>
              {s.title}
            </MenuItem>
          ))}
        </TextField>
        {FIELDS.map((f) => (
          <TextField
            key={f.name}
            size="small"
            type="number"
            label={f.title}
            value={Number.isNaN(setting[f.name]) ? "" : setting[f.name]}
            error={wrong.includes(f)}
            helperText={wrong.includes(f) ? `From ${f.low} to ${f.high}` : undefined}
            slotProps={{ htmlInput: { min: f.low, max: f.high, step: f.step } }}
            onChange={(e) => setSetting({ ...setting, [f.name]: e.target.value === "" ? NaN : Number(e.target.value) })}
          />
        ))}
        {scene && wrong.length === 0 && (
          <p className="dim">
            {setting.frames === 1 || setting.step === 0 ? shutter(times[0]) : `${shutter(times[0])} to ${shutter(times[1])}`} at ISO {setting.iso}
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
