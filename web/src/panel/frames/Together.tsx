import { Button, MenuItem, Select } from "@mui/material";
import { useNavigate } from "react-router-dom";

import { answered, api } from "../../api/client";
import { shootsChanged, useShoots } from "../../api/queries";
import { told } from "../../state/messages";
import { loadScene, useScene } from "../../state/scene";

/** Which frames belong together: split some off, move them to another scene, or join the whole scene to one. */
export function Together({ picked, done }: { picked: number[]; done: () => void }) {
  const scene = useScene((s) => s.scene)!;
  const go = useNavigate();
  const shoots = useShoots().data ?? [];
  const shoot = shoots.find((s) => s.scenes.some((c) => c.id === scene.id)) ?? shoots[0];
  const others = shoot?.scenes.filter((c) => c.id !== scene.id) ?? [];
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
          : "Take frames with Ctrl or Shift and a click to split them off."}
      </p>
      <div className="row spaced">
        <Button size="small" variant="outlined" color="inherit" disabled={!some} onClick={() => void split()}>
          Split off
        </Button>
        {others.length > 0 && (
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
        )}
      </div>
    </>
  );
}
