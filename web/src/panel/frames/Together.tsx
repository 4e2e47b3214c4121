import { Button, MenuItem, Select } from "@mui/material";
import { useNavigate } from "react-router-dom";

import { answered, api } from "../../api/client";
import { shootsChanged, useShoot } from "../../api/queries";
import { told } from "../../state/messages";
import { loadScene, useScene } from "../../state/scene";

/** Which frames belong together: split some off, move them to another scene, or join the whole scene to one. */
export function Together({ picked, done }: { picked: number[]; done: () => void }) {
  const scene = useScene((s) => s.scene)!;
  const go = useNavigate();
  const others = (useShoot(scene.shoot_id).data?.scenes ?? []).filter((c) => c.id !== scene.id);
  const some = picked.length > 0 && picked.length < scene.frames.length;
  const frames = some ? picked : scene.frames.map((f) => f.id);

  const split = async () => {
    const made = await told(
      answered(
        api.POST("/api/scenes/{scene_id}/split", {
          params: { path: { scene_id: scene.id } },
          body: { frames: picked },
        }),
      ),
    );
    if (!made) return;
    done();
    shootsChanged();
    await loadScene(scene.id).catch(() => {});
  };
  const use = async (used: number[]) => {
    await told(
      answered(
        api.POST("/api/scenes/{scene_id}/use", { params: { path: { scene_id: scene.id } }, body: { frames: used } }),
      ),
    );
    done();
    await loadScene(scene.id).catch(() => {});
  };
  const move = async (to: number) => {
    const made = await told(
      answered(
        api.POST("/api/scenes/{scene_id}/move", { params: { path: { scene_id: scene.id } }, body: { frames, to } }),
      ),
    );
    if (!made) return;
    done();
    shootsChanged();
    void go(`/scenes/${to}/frames`);
  };
  return (
    <>
      <div className="group">Together</div>
      <p className="dim">
        {some
          ? `${picked.length === 1 ? "One frame is" : `${picked.length} frames are`} taken.`
          : "Take frames with Ctrl and a click, or all up to one with Shift, to use only them or to split them off."}
      </p>
      <div className="row spaced">
        {some || !scene.frames.some((f) => f.kind === "light" && !f.included) ? (
          <Button size="small" variant="outlined" color="inherit" disabled={!some} onClick={() => void use(picked)}>
            Use only these
          </Button>
        ) : (
          <Button size="small" variant="outlined" color="inherit" onClick={() => void use(frames)}>
            Use all
          </Button>
        )}
        <Button size="small" variant="outlined" color="inherit" disabled={!some} onClick={() => void split()}>
          Split off
        </Button>
      </div>
      {others.length > 0 && (
        <div className="row spaced">
          <Select
            size="small"
            variant="standard"
            displayEmpty
            value=""
            inputProps={{ "aria-label": "Move to another scene" }}
            className="rest"
            onChange={(e) => void move(Number(e.target.value))}
          >
            <MenuItem value="">
              <span className="dim">{some ? "Move them to" : "Join all to"}</span>
            </MenuItem>
            {others.map((o) => (
              <MenuItem key={o.id} value={o.id}>
                {o.title}
              </MenuItem>
            ))}
          </Select>
        </div>
      )}
    </>
  );
}
