"""The API over HTTP: bringing in, treatments, refusals, and what happens when things break."""

import io
import shutil
import tempfile
import zipfile
from pathlib import Path

import httpx
import numpy as np
from sqlalchemy import select

from crenn.camera.sensor import Exposure
from crenn.jobs.queue import defer
from crenn.store.models import Frame, Job, Scene
from tests.api.case import ApiCase, a_night
from tests.support import BRACKET, night, take, wait_for


class BringingIn(ApiCase):
    def test_a_bracket_becomes_one_merged_scene(self):
        shoot = self.bring_in(take(self.folder / "in", night()))
        scene = shoot["scenes"][0]
        self.assertTrue(scene["ready"])
        self.assertEqual([f["seconds"] for f in scene["frames"]], [1 / 16, 1 / 4, 1.0, 4.0])
        picture = self.http.get(f"/api/scenes/{scene['id']}/picture.jpg")
        self.assertEqual(picture.content[:2], b"\xff\xd8")
        frame = self.http.get(f"/api/frames/{scene['frames'][0]['id']}/picture.jpg")
        self.assertEqual(frame.headers["content-type"], "image/jpeg")

    def test_unusable_files_are_listed_and_the_others_go_on(self):
        paths = take(self.folder / "in", night())
        (self.folder / "in" / "notes.txt").write_text("hello")
        broken = self.folder / "in" / "broken.dng"
        broken.write_bytes(paths[0].read_bytes()[:40_000])
        shoot = self.bring_in([*paths, self.folder / "in" / "notes.txt", broken])
        self.assertEqual(len(shoot["scenes"][0]["frames"]), 4)
        reasons = {r["name"]: r["reason"] for r in shoot["refusals"]}
        self.assertIn("Not a frame", reasons["notes.txt"])
        self.assertIn("amaged", reasons["broken.dng"])

    def test_the_same_frames_again_are_known(self):
        paths = take(self.folder / "in", night())
        self.bring_in(paths)
        again = self.bring_in(paths)
        self.assertEqual(again["scenes"], [])
        self.assertIn("Already in the library", again["refusals"][0]["reason"])

    def test_a_folder_below_the_roots(self):
        paths = take(self.folder / "in", night())
        seen = self.http.get("/api/folders", params={"path": str(self.folder / "in")}).json()
        self.assertEqual(seen["raw_files"], len(paths))
        self.assertEqual(self.http.post("/api/folders", json={"path": str(self.folder / "in")}).status_code, 200)
        self.work()
        self.assertEqual(len(self.http.get("/api/shoots").json()[0]["scenes"][0]["frames"]), 4)

    def test_links_below_the_roots_do_not_lead_out_of_them(self):
        outside = Path(tempfile.mkdtemp(prefix="crenn-outside-"))
        self.addCleanup(shutil.rmtree, outside, ignore_errors=True)
        (frame,) = take(outside, night(), BRACKET[:1])
        inside = self.folder / "in"
        inside.mkdir()
        (inside / "linked.dng").symlink_to(frame)
        answer = self.http.post("/api/folders", json={"path": str(inside)})
        self.assertEqual((answer.status_code, "no frames" in answer.json()["detail"]), (400, True))
        # A file that was one when it was chosen, and is a link when it is read.
        (own,) = take(inside, night(), BRACKET[1:2])
        self.assertEqual(self.http.post("/api/folders", json={"path": str(inside)}).status_code, 200)
        own.unlink()
        own.symlink_to(frame)
        self.work()
        (shoot,) = self.http.get("/api/shoots").json()
        self.assertEqual(shoot["scenes"], [])
        self.assertIn("leads to another file", shoot["refusals"][0]["reason"])

    def test_odd_names_of_files_that_are_sent(self):
        (frame,) = take(self.folder / "in", night(), BRACKET[:1])
        for number, name in enumerate((".dng", f"{'x' * 3000}.DNG", "../../a b.dng")):
            body = frame.read_bytes()[:-1] + bytes([number])
            answer = self.http.post("/api/uploads", files=[("files", (name, body))])
            self.assertEqual(answer.status_code, 200, answer.text)
        self.work()
        for shoot in self.http.get("/api/shoots").json():
            self.assertEqual((len(shoot["scenes"]), shoot["refusals"]), (1, []))

    def test_a_path_outside_the_roots_is_refused(self):
        (self.folder / "link").symlink_to("/etc")
        for path in ("/etc", str(self.folder / ".." / ".." / "etc"), str(self.folder / "link"), "/nowhere"):
            with self.subTest(path=path):
                for answer in (
                    self.http.get("/api/folders", params={"path": path}),
                    self.http.post("/api/folders", json={"path": path}),
                ):
                    self.assertEqual(answer.status_code, 400)
                    self.assertRegex(answer.json()["detail"], "outside the folders|does not exist")

    def test_originals_are_kept_unchanged_under_their_hash(self):
        paths = take(self.folder / "in", night())
        self.bring_in(paths)
        with self.database.session() as session:
            for frame in session.execute(select(Frame)).scalars():
                kept = self.served.library.original(frame.content_hash, ".dng")
                self.assertEqual(kept.read_bytes(), (self.folder / "in" / frame.name).read_bytes())
                self.assertFalse(kept.stat().st_mode & 0o222)


class UploadLimit(ApiCase):
    changes = {"max_upload_bytes": 100_000}

    def test_an_upload_over_the_limit(self):
        answer = self.upload(take(self.folder / "in", night()))
        self.assertEqual(answer.status_code, 413)
        self.assertIn("larger than", answer.json()["detail"])
        self.assertEqual(list((self.served.library.folder / "incoming").iterdir()), [])


class Scenes(ApiCase):
    frames = staticmethod(a_night)

    def change(self, document, parent, label="test") -> httpx.Response:
        return self.http.put(f"{self.address}/treatment", json={"document": document, "parent": parent, "label": label})

    def test_change_undo_redo_and_a_new_branch(self):
        start = self.http.get(self.address).json()
        one = self.change({"exposure": {"ev": 1.0}}, start["revision"]).json()
        two = self.change({"exposure": {"ev": 2.0}}, one["revision"]).json()
        self.assertEqual(self.http.post(f"{self.address}/undo").json()["treatment"]["exposure"]["ev"], 1.0)
        back = self.http.post(f"{self.address}/undo").json()
        self.assertEqual((back["revision"], back["can_undo"]), (start["revision"], False))
        self.assertEqual(self.http.post(f"{self.address}/undo").json()["revision"], start["revision"])
        self.http.post(f"{self.address}/redo")
        self.assertEqual(self.http.post(f"{self.address}/redo").json()["revision"], two["revision"])
        self.http.post(f"{self.address}/undo")
        other = self.change({"exposure": {"ev": 5.0}}, one["revision"]).json()
        self.assertFalse(other["can_redo"])
        self.assertEqual(self.http.get(self.address).json()["treatment"]["exposure"]["ev"], 5.0)

    def test_two_tabs(self):
        start = self.http.get(self.address).json()["revision"]
        self.assertEqual(self.change({"exposure": {"ev": 1.0}}, start).status_code, 200)
        late = self.change({"exposure": {"ev": 3.0}}, start)
        self.assertEqual((late.status_code, late.json()["kind"]), (409, "stale"))
        self.assertEqual(self.http.get(self.address).json()["treatment"]["exposure"]["ev"], 1.0)

    def test_a_treatment_with_unknown_or_wild_values_is_refused(self):
        start = self.http.get(self.address).json()["revision"]
        for document, words in (({"sparkle": 1}, "sparkle"), ({"tone": {"contrast": 50}}, "tone.contrast")):
            answer = self.change(document, start)
            self.assertEqual(answer.status_code, 400)
            self.assertIn(words, answer.json()["detail"])
        self.assertEqual(self.http.get(self.address).json()["revision"], start)

    def test_a_frame_left_out_and_all_left_out(self):
        frames = self.http.get(self.address).json()["frames"]
        self.http.patch(f"/api/frames/{frames[0]['id']}", json={"included": False})
        self.http.post(f"{self.address}/merge")
        self.work()
        self.assertEqual(len(self.http.get(self.address).json()["report"]["frames"]), 3)
        for frame in frames:
            self.http.patch(f"/api/frames/{frame['id']}", json={"included": False})
        answer = self.http.post(f"{self.address}/merge")
        self.assertEqual(answer.status_code, 400)
        self.assertIn("left out", answer.json()["detail"])

    def test_light_is_told(self):
        """White balances found in the picture, and what enters the curve."""
        ask = lambda path, body: self.http.post(f"{self.address}/{path}", json=body)  # noqa: E731
        white = ask("neutral", {"place": [240 / 480, 290 / 480], "radius": 10}).json()
        self.assertLess(white["temperature"], 5500, "warm ground taken for grey asks for a warmer white")
        self.assertGreater(white["spread"], 0)
        answer = ask("neutral", {"place": [5.0, 0.1], "radius": 2})
        self.assertEqual(answer.status_code, 400)
        self.assertIn("outside", answer.json()["detail"])
        by_eye, whole = (ask("white", {"by": by}).json() for by in ("automatic", "picture"))
        self.assertTrue(1800 <= by_eye["temperature"] <= 20000)
        self.assertNotEqual(by_eye["temperature"], whole["temperature"])
        self.assertEqual(ask("white", {"by": "magic"}).status_code, 422)

        shares = ask("curve/light", {"document": {}}).json()
        self.assertAlmostEqual(sum(shares["luminance"]), 1.0, delta=0.05)
        brighter = ask("curve/light", {"document": {"exposure": {"ev": 9.0}}}).json()
        self.assertNotEqual(shares["luminance"], brighter["luminance"])
        curved = ask("curve/light", {"document": {"curve": {"points": [{"at": -4, "to": -2}]}}}).json()
        self.assertEqual(shares, curved, "what enters the curve does not depend on it")
        ends = ask("curve/ends", {"document": {}}).json()
        start = self.http.get(self.address).json()["revision"]
        self.assertEqual(self.change({"curve": ends}, start).status_code, 200)
        for path in ("curve/light", "curve/ends"):
            self.assertEqual(ask(path, {"document": {"curve": {"points": 3}}}).status_code, 400)
        falling = {"curve": {"points": [{"at": -4, "to": -1}, {"at": -3, "to": -2}]}}
        answer = self.change(falling, self.http.get(self.address).json()["revision"])
        self.assertEqual(answer.status_code, 400)
        self.assertIn("falls", answer.json()["detail"])

    def delivered(self, *outputs: dict, **more) -> list[dict]:
        """The jobs of deliveries, once they have ended."""
        asked = self.http.post(f"{self.address}/deliveries", json={"outputs": outputs, **more})
        self.assertEqual(asked.status_code, 200, asked.text)
        self.work()
        jobs = {job["id"]: job for job in self.http.get(f"{self.address}/deliveries").json()}
        return [jobs[job["id"]] for job in asked.json()]

    def test_deliveries(self):
        small = {"by": "pixels", "pixels": 200}
        outputs = (
            {"format": "jpg", "size": small, "quality": 90, "name": "{title}, {width} × {height}, {set}"},
            {"format": "exr", "half": True},
            {"format": "tif", "space": "romm", "name": "same"},
            {"format": "tif", "size": {"by": "share", "share": 150, "enlarge": True}, "name": "Same"},
        )
        jobs = self.delivered(*outputs, set="Gallery")
        for job in jobs:
            file = self.http.get(f"/api/deliveries/{job['id']}/file")
            self.assertEqual(file.status_code, 200, file.text[:200])
            self.assertGreater(len(file.content), 1000)
        title = self.scene["title"].replace("/", "-")
        self.assertEqual(jobs[0]["result"]["name"], f"{title}, 200 × 133, Gallery.jpg")
        self.assertEqual(jobs[3]["result"]["width"], 720)
        # All of them as one file, in which no two have the same name.
        packed = self.http.get("/api/deliveries.zip", params={"job": [job["id"] for job in jobs]})
        with zipfile.ZipFile(io.BytesIO(packed.content)) as archive:
            self.assertEqual(archive.namelist()[2:], ["same.tif", "Same (2).tif"])
            self.assertIsNone(archive.testzip())
        # What was done to a file is done again, in any scene; nothing is stored by asking.
        document = {"exposure": {"ev": 0.75}}
        self.change(document, self.http.get(self.address).json()["revision"])
        (job,) = self.delivered({"format": "jpg", "size": small})
        file = self.http.get(f"/api/deliveries/{job['id']}/file").content
        packet = file[file.index(b"<x:xmpmeta") : file.index(b"</x:xmpmeta>") + 12].decode()
        asked = {"name": "basin.jpg", "packet": packet}
        self.assertEqual(self.http.post(f"{self.address}/carried", json=asked).json()["exposure"]["ev"], 0.75)
        for broken in ("", packet.replace("<crenn:treatment>", "<crenn:treatment>!"), "<x:xmpmeta></x:xmpmeta>"):
            answer = self.http.post(f"{self.address}/carried", json=asked | {"packet": broken})
            self.assertEqual((answer.status_code, "basin.jpg" in answer.json()["detail"]), (400, True), broken[:40])
        wrong = ({"format": "gif"}, {"name": "{nothing}"}, {"space": "none"}, {"size": {"by": "pixels", "pixels": 0}})
        for output in wrong:
            asked = self.http.post(f"{self.address}/deliveries", json={"outputs": [output]})
            self.assertEqual(asked.status_code, 422, output)
        self.assertEqual(self.http.post(f"{self.address}/deliveries", json={}).status_code, 422)
        (failed,) = self.delivered({"size": {"by": "pixels", "pixels": 20_000, "enlarge": True}})
        self.assertIn("can be 4 times: 1920 px", failed["fault"])
        self.assertEqual(self.http.get("/api/deliveries.zip", params={"job": failed["id"]}).status_code, 404)

    def test_scenes_are_delivered_together_and_sets_are_kept(self):
        shipped = self.http.get("/api/outputs").json()
        self.assertIn("For the web", [one["name"] for one in shipped])
        body = {"scenes": [self.scene["id"]] * 2, "outputs": shipped[0]["outputs"], "set": shipped[0]["name"]}
        jobs = self.http.post("/api/deliveries", json=body).json()
        self.assertEqual([job["scene_id"] for job in jobs], [self.scene["id"]])
        self.assertEqual(self.http.post("/api/deliveries", json=body | {"scenes": [10**6]}).status_code, 404)
        own = {"name": "For the web", "outputs": [{"format": "webp"}, {"format": "png", "bits": 8}]}
        kept = self.http.put("/api/outputs", json=own).json()
        self.assertEqual([len(one["outputs"]) for one in kept if one["name"] == own["name"]], [2])
        self.assertEqual(self.http.post("/api/outputs/forget", json={"name": own["name"]}).json(), shipped)
        self.assertEqual(self.http.post("/api/outputs/forget", json={"name": own["name"]}).status_code, 404)
        self.assertEqual(self.http.put("/api/outputs", json=own | {"outputs": []}).status_code, 422)

    def test_a_cancelled_delivery(self):
        job = self.http.post(f"{self.address}/deliveries", json={"outputs": [{}]}).json()[0]
        self.assertEqual(self.http.post(f"/api/jobs/{job['id']}/cancel").json()["state"], "cancelled")
        self.work()
        answer = self.http.get(f"/api/deliveries/{job['id']}/file")
        self.assertIn("not finished", answer.json()["detail"])

    def test_a_failed_merge_leaves_the_old_result(self):
        before = self.http.get(self.address).json()["prepared"]
        with self.database.session() as session:
            frames = session.execute(select(Frame)).scalars().all()
        for frame in frames:
            kept = self.served.library.original(frame.content_hash, ".dng")
            kept.chmod(0o644)
            kept.write_bytes(b"gone bad")
        self.http.post(f"{self.address}/merge")
        self.work()
        scene = self.http.get(self.address).json()
        self.assertEqual(scene["prepared"], before)
        self.assertIn(frames[0].name, scene["fault"])
        self.assertTrue(self.served.library.scene(before).exists())

    def test_what_is_not_there(self):
        for path in ("/api/scenes/9999", "/api/frames/9999/picture.jpg", "/api/deliveries/9999/file", "/api/nothing"):
            answer = self.http.get(path)
            self.assertIn(answer.status_code, (400, 404), path)
            self.assertTrue(answer.json()["detail"])


class Breaking(ApiCase):
    """A killed worker and a stopped database cost nothing."""

    def test_a_worker_killed_in_a_merge(self):
        big = [np.tile(night(), (2, 2, 1))] * 4
        shoot = self.bring_in(take(self.folder / "in", big, [Exposure(s) for s in (1 / 16, 1 / 4, 1, 4)]))
        scene_id = shoot["scenes"][0]["id"]
        before = shoot["scenes"][0]["picture_version"]
        # Noise that still waits to be split off would keep the second worker busy.
        for job in self.http.get("/api/jobs").json():
            if job["kind"] == "noise":
                self.http.post(f"/api/jobs/{job['id']}/cancel")
        job_id = defer(self.database, "merge", scene_id=scene_id)

        def state() -> str:
            with self.database.session() as session:
                return session.get_one(Job, job_id).state

        worker = self.served.start_worker()
        wait_for(lambda: state() == "running", text="the merge running")
        worker.kill()
        worker.wait()
        self.assertEqual(state(), "running")
        with self.database.session() as session:
            self.assertIsNotNone(session.get_one(Scene, scene_id).prepared, "the old result is still there")
        self.served.start_worker()
        wait_for(lambda: state() == "done", 60, "the merge taken over by another worker")
        self.assertNotEqual(self.http.get("/api/shoots").json()[0]["scenes"][0]["picture_version"], before)


class Away(ApiCase):
    stops_server = True

    def test_the_database_stopped_and_started(self):
        scene_id = self.bring_in(take(self.folder / "in", night()))["scenes"][0]["id"]
        revision = self.http.get(f"/api/scenes/{scene_id}").json()["revision"]
        port = self.server.port
        self.server.stop()
        try:
            answer = self.http.put(
                f"/api/scenes/{scene_id}/treatment", json={"document": {}, "parent": revision, "label": "x"}
            )
            self.assertEqual((answer.status_code, answer.json()["kind"]), (503, "database"))
            self.assertIn("Nothing was stored", answer.json()["detail"])
        finally:
            self.server.start(port)
        answer = self.http.put(
            f"/api/scenes/{scene_id}/treatment",
            json={"document": {"exposure": {"ev": 1}}, "parent": revision, "label": "x"},
        )
        self.assertEqual(answer.status_code, 200)
