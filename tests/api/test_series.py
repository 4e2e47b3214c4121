"""A night as a series over the API: found, its keys, treated as one, and films."""

import subprocess
from pathlib import Path

import numpy as np

from crenn.camera.dawn import shoot_dawn
from crenn.camera.shoot import Bracket, scene_named
from tests.api.case import ApiCase

COUNT = 8


def a_dawn(folder: Path) -> list[Path]:
    """Eight brackets of two frames, a minute apart, while it gets lighter by three stops."""
    scene = scene_named("lock-basin")
    bracket = Bracket.chosen(scene, 2, 3.0, 800.0)
    return shoot_dawn("lock-basin", folder, COUNT, 60.0, 3.0, 0.1, (180, 120), bracket)


class Series(ApiCase):
    frames = staticmethod(a_dawn)

    def series(self) -> dict:
        shoot = self.http.get("/api/shoots").json()[0]
        self.shoot = f"/api/shoots/{shoot['id']}"
        found = self.http.get(f"{self.shoot}/series").json()
        self.assertEqual(len(found), 1)
        return found[0]

    def treated(self, scene: int) -> dict:
        return self.http.get(f"/api/scenes/{scene}").json()["treatment"]

    def test_a_night_is_treated_along_its_keys_and_becomes_a_film(self):
        series = self.series()
        ids = [m["id"] for m in series["members"]]
        self.assertEqual((len(ids), series["interval"], series["light"]), (COUNT, 60, None))
        self.assertTrue(all(m["ready"] and m["frames"] == 2 for m in series["members"]))
        self.assertEqual([m["at"] for m in series["members"]], [60.0 * i for i in range(COUNT)])
        # Two keys by hand, the rest is gone through.
        for scene, saturation in ((ids[0], 0.8), (ids[-1], 1.5)):
            about = self.http.get(f"/api/scenes/{scene}").json()
            body = {
                "document": {"saturation": {"saturation": saturation}},
                "parent": about["revision"],
                "label": "By hand",
            }
            self.assertEqual(self.http.put(f"/api/scenes/{scene}/treatment", json=body).status_code, 200)
            self.assertEqual(self.http.patch(f"/api/scenes/{scene}", json={"series_key": True}).status_code, 200)
        self.assertEqual([m["key"] for m in self.series()["members"]], [True, *[False] * 6, True])
        job = self.http.post(f"{self.shoot}/series", json={"scenes": ids}).json()
        self.work()
        light = self.series()["light"]
        self.assertEqual(light["treated"], COUNT)
        self.assertAlmostEqual(light["smooth"][-1] - light["smooth"][0], 3, delta=0.5)
        between = [self.treated(scene)["saturation"]["saturation"] for scene in ids]
        np.testing.assert_allclose(between, np.linspace(0.8, 1.5, COUNT), atol=1e-6)
        self.assertIsNotNone(self.treated(ids[3])["exposure"]["ev"])
        # It is a change like any other.
        self.http.post(f"/api/scenes/{ids[3]}/undo")
        self.assertEqual(self.treated(ids[3]).get("saturation", {}).get("saturation", 1.0), 1.0)
        self.http.post(f"/api/scenes/{ids[3]}/redo")
        self.assertEqual(job["kind"], "series")
        # All of it is taken back at once, but where somebody went on.
        about = self.http.get(f"/api/scenes/{ids[5]}").json()
        body = {"document": {"exposure": {"ev": 1.0}}, "parent": about["revision"], "label": "Brighter"}
        self.http.put(f"/api/scenes/{ids[5]}/treatment", json=body)
        self.assertEqual(self.http.post(f"{self.shoot}/series/back", json={"scenes": ids}).json(), COUNT - 1)
        saturations = [self.treated(scene)["saturation"]["saturation"] for scene in ids]
        self.assertEqual(saturations, [0.8, *[1.0] * (COUNT - 2), 1.5])
        self.assertEqual(self.treated(ids[5])["exposure"]["ev"], 1.0)
        self.assertEqual(self.series()["light"]["treated"], 0)
        film = {"codec": "h264", "rate": 4, "pixels": 180, "quality": 90}
        job = self.http.post(f"{self.shoot}/films", json={"scenes": ids, "film": film}).json()
        self.work()
        (made,) = self.http.get(f"{self.shoot}/films").json()
        self.assertEqual((made["id"], made["state"], made["result"]["pictures"]), (job["id"], "done", COUNT))
        answer = self.http.get(f"/api/deliveries/{made['id']}/file")
        self.assertIn(".mp4", answer.headers["content-disposition"])
        (self.folder / "got.mp4").write_bytes(answer.content)
        told = subprocess.run(
            [
                "ffprobe",
                "-v",
                "error",
                "-count_frames",
                "-of",
                "csv=p=0",
                "-show_entries",
                "stream=nb_read_frames,width",
            ]
            + [str(self.folder / "got.mp4")],
            capture_output=True,
            text=True,
            check=True,
        )
        self.assertEqual(told.stdout.strip(), f"180,{COUNT}")

    def test_what_is_no_series_is_refused_in_words(self):
        ids = [m["id"] for m in self.series()["members"]]
        for path in ("series", "films"):
            answer = self.http.post(f"{self.shoot}/{path}", json={"scenes": ids[::-1]})
            self.assertEqual(answer.status_code, 400)
            self.assertIn("no longer a series", answer.json()["detail"])
            self.assertEqual(self.http.post(f"{self.shoot}/{path}", json={"scenes": [1]}).status_code, 422)
        for wrong in ({"rate": 0}, {"pixels": 1e9}, {"codec": "none"}, {"more": 1}):
            answer = self.http.post(f"{self.shoot}/films", json={"scenes": ids, "film": wrong})
            self.assertEqual(answer.status_code, 422, wrong)
        # In the bin it is no part of the night: what is left is too short.
        self.http.patch(f"/api/scenes/{ids[4]}", json={"binned": True})
        self.assertEqual(self.http.get(f"{self.shoot}/series").json(), [])
        # Light alone is looked at without treating anything.
        self.http.patch(f"/api/scenes/{ids[4]}", json={"binned": False})
        before = self.treated(ids[2])
        self.http.post(f"{self.shoot}/series", json={"scenes": ids, "treat": False})
        self.work()
        self.assertEqual(self.series()["light"]["treated"], 0)
        self.assertEqual(self.treated(ids[2]), before)
