"""Merging over HTTP: instructions, kinds, times, splitting and joining, the simulated camera."""

from datetime import datetime

import numpy as np

from crenn.camera.sensor import Exposure, Sensor
from tests.api.case import ApiCase
from tests.core.merge.test_ghosts import crossing
from tests.core.merge.test_stack import DARK, even
from tests.support import night, take

CLEAN = Sensor(prnu=0.0, dsnu=0.0, hot_share=0.0, dark_current=0.0)


class Merging(ApiCase):
    @staticmethod
    def frames(folder):
        return take(folder, crossing(), sensor=CLEAN, name="thing")

    def told(self, scene_id: int) -> dict:
        return self.http.get(f"/api/scenes/{scene_id}").json()

    def merge(self, scene_id: int) -> dict:
        self.assertEqual(self.http.post(f"/api/scenes/{scene_id}/merge").status_code, 200)
        self.work()
        return self.told(scene_id)

    def test_instructions_are_kept_and_hold_from_the_next_merge(self):
        scene_id = self.scene["id"]
        scene = self.told(scene_id)
        self.assertGreater(scene["report"]["moved_share"], 0.01)
        body = scene["instructions"] | {"deghost": False}
        self.assertEqual(self.http.put(f"/api/scenes/{scene_id}/instructions", json=body).json()["deghost"], False)
        self.assertGreater(self.told(scene_id)["report"]["moved_share"], 0.01, "nothing happens before the merge")
        after = self.merge(scene_id)
        self.assertEqual(after["report"]["moved_share"], 0)
        self.assertFalse(after["instructions"]["deghost"])

    def test_a_filter_before_the_lens_and_day_hold_at_once(self):
        scene_id = self.scene["id"]
        before = self.told(scene_id)
        self.http.put(f"/api/scenes/{scene_id}/instructions", json=before["instructions"] | {"filter_stops": 10})
        after = self.told(scene_id)
        self.assertNotEqual(after["prepared"], before["prepared"])
        self.assertAlmostEqual(after["automatic"]["luminance"] / before["automatic"]["luminance"], 1024, delta=1)
        self.assertGreater(after["automatic"]["values"]["exposure.ev"], before["automatic"]["values"]["exposure.ev"])
        self.http.put(
            f"/api/scenes/{scene_id}/instructions", json=after["instructions"] | {"filter_stops": 0, "day": True}
        )
        day = self.told(scene_id)
        self.assertEqual(day["automatic"]["values"]["exposure.ev"], after["automatic"]["values"]["exposure.ev"])
        # All else is as it was, also for the merge after.
        self.assertEqual(day["report"]["histogram"], before["report"]["histogram"])
        self.assertEqual(len(list((self.folder / "library" / "scenes").iterdir())), 1)
        merged = self.merge(scene_id)
        self.assertTrue(merged["report"]["capture"]["day"])
        self.assertEqual(merged["automatic"]["values"], day["automatic"]["values"])

    def test_wrong_instructions_are_refused_and_nothing_is_lost(self):
        scene_id = self.scene["id"]
        before = self.told(scene_id)["instructions"]
        for change in (
            {"method": "guess"},
            {"filter_stops": -1},
            {"filter_stops": 1e9},
            {"strokes": [{"kind": "moved", "points": [], "radius": 0.1}]},
            {"unknown": 1},
        ):
            self.assertGreaterEqual(
                self.http.put(f"/api/scenes/{scene_id}/instructions", json=before | change).status_code, 400
            )
        self.assertEqual(self.told(scene_id)["instructions"], before)

    def test_the_reference_frame_is_chosen_by_name(self):
        scene_id = self.scene["id"]
        body = self.told(scene_id)["instructions"] | {"reference": "thing-4.dng"}
        self.http.put(f"/api/scenes/{scene_id}/instructions", json=body)
        report = self.merge(scene_id)["report"]
        self.assertEqual([f["name"] for f in report["frames"] if f["ev"] == 0], ["thing-4.dng"])

    def test_strokes_reach_the_merge_and_its_views(self):
        scene_id = self.scene["id"]
        stroke = {"kind": "still", "points": [[0.05, 0.5], [0.95, 0.5]], "radius": 0.3, "frame": None}
        self.http.put(
            f"/api/scenes/{scene_id}/instructions", json=self.told(scene_id)["instructions"] | {"strokes": [stroke]}
        )
        self.assertEqual(self.merge(scene_id)["report"]["moved_share"], 0)

    def test_dark_frames_are_told_and_kinds_can_be_set(self):
        paths = take(self.folder / "l", even(0.05), [DARK] * 5, CLEAN, name="light")
        paths += take(
            self.folder / "d",
            np.zeros((160, 240, 3), np.float32),
            [DARK] * 2,
            CLEAN,
            seed=4,
            name="dark",
            taken=datetime(2026, 10, 17, 18, 0, 30),
        )
        scene = self.bring_in(paths)["scenes"][0]
        kinds = {f["name"]: f["kind"] for f in scene["frames"]}
        self.assertEqual(kinds["dark-1.dng"], "dark")
        self.assertEqual(kinds["light-1.dng"], "light")
        report = self.told(scene["id"])["report"]
        self.assertEqual((report["mode"], len(report["frames"])), ("stack", 5))
        one = next(f for f in scene["frames"] if f["name"] == "light-1.dng")
        self.http.patch(f"/api/frames/{one['id']}", json={"kind": "dark"})
        self.assertEqual(len(self.merge(scene["id"])["report"]["frames"]), 4)

    def test_a_missing_time_is_typed_in(self):
        exposures = [Exposure(1 / 4), Exposure(1.0), Exposure(4.0)]
        shoot = self.bring_in(take(self.folder / "a", night(), exposures, name="tick", seconds=None))
        scenes = shoot["scenes"]
        first = scenes[0]["id"]
        for other in scenes[1:]:
            self.http.post(
                f"/api/scenes/{other['id']}/move", json={"frames": [f["id"] for f in other["frames"]], "to": first}
            )
        self.assertIn("no exposure time", self.merge(first)["fault"])
        for frame in self.told(first)["frames"]:
            seconds = exposures[int(frame["name"].split("-")[1][0]) - 1].seconds
            self.assertTrue(
                self.http.patch(f"/api/frames/{frame['id']}", json={"seconds": seconds}).json()["time_typed"]
            )
        scene = self.merge(first)
        self.assertIsNone(scene["fault"])
        self.assertEqual(sorted(f["seconds"] for f in scene["report"]["frames"]), [1 / 4, 1.0, 4.0])

    def test_split_and_join(self):
        scene_id = self.scene["id"]
        frames = self.told(scene_id)["frames"]
        made = self.http.post(f"/api/scenes/{scene_id}/split", json={"frames": [frames[0]["id"]]}).json()
        self.assertEqual([f["id"] for f in made["frames"]], [frames[0]["id"]])
        self.assertEqual(len(self.told(scene_id)["frames"]), 3)
        self.assertEqual(
            self.http.post(f"/api/scenes/{scene_id}/split", json={"frames": [f["id"] for f in frames[1:]]}).status_code,
            400,
            "one must stay",
        )
        self.assertEqual(
            self.http.post(f"/api/scenes/{scene_id}/split", json={"frames": [frames[0]["id"]]}).status_code, 400
        )
        self.http.post(f"/api/scenes/{made['id']}/move", json={"frames": [frames[0]["id"]], "to": scene_id})
        self.assertEqual(len(self.told(scene_id)["frames"]), 4)
        part = [f["id"] for f in frames[1:3]]
        told = self.http.post(f"/api/scenes/{scene_id}/use", json={"frames": part}).json()
        # The last frame is for calibration, and serves every part.
        self.assertEqual([f["id"] for f in told["frames"] if f["included"]], [*part, frames[3]["id"]])
        self.assertEqual(self.http.post(f"/api/scenes/{made['id']}/use", json={"frames": part}).status_code, 400)
        self.http.post(f"/api/scenes/{scene_id}/use", json={"frames": [f["id"] for f in frames]})
        shown = [s["id"] for shoot in self.http.get("/api/shoots").json() for s in shoot["scenes"]]
        self.assertNotIn(made["id"], shown, "an empty scene is not shown")

    def test_the_simulated_camera(self):
        scenes = self.http.get("/api/camera").json()
        self.assertEqual(
            {s["name"] for s in scenes}, {"lock-basin", "ferry-hall", "dam-crest", "ridge-observatory", "kiln-yard"}
        )
        answer = self.http.post(
            "/api/camera",
            json={"scene": "kiln-yard", "frames": 2, "step": 3, "iso": 200, "flaws": 1, "flaws_only": ["dust", "coma"]},
        )
        self.assertEqual(answer.status_code, 200, answer.text)
        self.work()
        scene = self.http.get("/api/shoots").json()[0]["scenes"][0]
        seconds = sorted(f["seconds"] for f in scene["frames"])
        self.assertAlmostEqual(seconds[1] / seconds[0], 8, delta=0.05)
        self.assertTrue(scene["ready"], scene["fault"])
        for wrong in (
            {"scene": "moon"},
            {"scene": "kiln-yard", "frames": 60, "step": 4},
            {"scene": "kiln-yard", "shake": 9},
            {"scene": "kiln-yard", "flaws": 1, "flaws_only": ["dust", "rust"]},
        ):
            self.assertGreaterEqual(self.http.post("/api/camera", json=wrong).status_code, 400)
