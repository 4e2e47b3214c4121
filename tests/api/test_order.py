"""Order in the library: names, choice, the bin, shoots put together, contact sheets."""

import io
import json
import zipfile
from datetime import datetime

import httpx
import numpy as np
from PIL import Image

from crenn.camera.sensor import Exposure
from crenn.jobs.recovery import Sweeper
from crenn.store.models import Frame, Scene, Shoot
from tests.api.case import ApiCase, a_night
from tests.support import night, take

DRAWN = {
    "name": "Drawn",
    "parts": [{"kind": "brush", "strokes": [{"radius": 0.1, "points": [2000, 2000, 3000, 3000]}]}],
    "bends": {"exposure.ev": 1.0},
}


class Order(ApiCase):
    frames = staticmethod(a_night)

    def shoots(self) -> list[dict]:
        return self.http.get("/api/shoots").json()

    def test_a_scene_is_renamed_chosen_binned_and_had_back(self):
        changed = self.http.patch(self.address, json={"title": "Basin, late", "choice": 2}).json()
        self.assertEqual((changed["title"], changed["choice"], changed["binned"]), ("Basin, late", 2, False))
        self.http.patch(self.address, json={"binned": True})
        scene = self.shoots()[0]["scenes"][0]
        self.assertEqual((scene["title"], scene["choice"], scene["binned"]), ("Basin, late", 2, True))
        self.assertEqual(self.http.get(f"/api/shoots/{self.shoots()[0]['id']}/sheet.pdf").status_code, 400)
        self.assertFalse(self.http.patch(self.address, json={"binned": False}).json()["binned"])
        for wrong in ({"title": ""}, {"choice": 4}, {"title": "a\x00b"}, {"more": 1}):
            self.assertEqual(self.http.patch(self.address, json=wrong).status_code, 422, wrong)
        self.assertEqual(self.http.patch("/api/scenes/9999", json={"choice": 1}).status_code, 404)

    def test_the_sheet_shows_a_scene_as_it_is_treated(self):
        def mean() -> float:
            with Image.open(io.BytesIO(self.http.get(f"{self.address}/picture.jpg").content)) as picture:
                return float(np.asarray(picture.convert("L")).mean())

        def version() -> str:
            return self.shoots()[0]["scenes"][0]["picture_version"]

        before, plain = version(), mean()
        body = {"document": {"exposure": {"ev": -4.0}}, "label": "Dark"}
        parent = self.http.get(self.address).json()["revision"]
        self.http.put(f"{self.address}/treatment", json=body | {"parent": parent})
        self.assertNotEqual(version(), before)
        self.assertLess(mean(), 0.6 * plain)
        self.http.post(f"{self.address}/undo")
        self.assertEqual(version(), before)
        self.assertAlmostEqual(mean(), plain, delta=0.5)
        # Those of before are not kept beside it.
        self.assertEqual(len(list((self.served.library.folder / "pictures").glob("scene-*"))), 1)

    def test_scenes_are_found_a_page_at_a_time(self):
        with self.database.session() as session:
            # Many scenes that share what they show; only rows are asked here.
            scene = session.query(Scene).one()
            shoots = [Shoot(name="Night 0"), Shoot(name="Night 1")]
            for number in range(7):
                copy = Scene(shoot=shoots[number // 4], title=f"Quay 100%, {number}", choice=number % 3)
                copy.binned = number == 6
                copy.report, copy.prepared, copy.take_id = scene.report, scene.prepared, scene.take_id
                copy.frames.append(
                    Frame(
                        name=f"q-{number:04}.dng",
                        content_hash=str(number),
                        ending=".dng",
                        bytes=1,
                        width=1,
                        height=1,
                        iso=400,
                        camera="Crenn T1",
                        lens="",
                        taken=datetime(2026, 10, 17, 18, number),
                    )
                )
                session.add(copy)
            session.commit()

        def found(**sought) -> list[str]:
            answer = self.http.get("/api/shoots", params=sought)
            self.assertEqual(answer.status_code, 200, answer.text)
            return [scene["title"][-1] for shoot in answer.json() for scene in shoot["scenes"]]

        self.assertEqual(found(words="quay")[:3], ["4", "5", "6"], "the newest shoot first")
        self.assertEqual(found(words="T1 NIGHT q-0002"), ["2"])
        self.assertEqual(found(words="2026-10-17 18:03 iso 400"), ["3"])
        report = self.http.get(self.address).json()["report"]
        stops = f"{report['high_stop'] - report['low_stop']:.1f} stops merged"
        self.assertEqual(len(found(words=stops)), 8)
        self.assertEqual(found(words="quay 0%"), found(words="quay"), "signs of patterns stand for themselves")
        self.assertEqual(found(words="quay_"), [])
        self.assertEqual(found(choice=2), ["5", "2"])
        self.assertEqual(found(words="quay", binned=True), ["6"])
        pages, start = [], 0
        while start is not None:
            answer = self.http.get("/api/shoots", params={"start": start, "most": 3, "binned": False})
            self.assertTrue(all(shoot["count"] in (1, 2, 4) for shoot in answer.json()))
            pages.append([scene["id"] for shoot in answer.json() for scene in shoot["scenes"]])
            link = answer.links.get("next")
            start = int(httpx.URL(link["url"]).params["start"]) if link else None
        self.assertEqual([len(page) for page in pages], [3, 3, 1])
        self.assertEqual(len({scene for page in pages for scene in page}), 7)
        shoot = self.http.get(f"/api/shoots/{self.shoots()[0]['id']}").json()
        self.assertEqual([scene["binned"] for scene in shoot["scenes"]], [False, False, True])
        self.assertEqual(self.http.get("/api/shoots/9999").status_code, 404)
        for wrong in ({"most": 0}, {"start": -1}, {"choice": 9}, {"words": "a" * 301}):
            self.assertEqual(self.http.get("/api/shoots", params=wrong).status_code, 422, wrong)

    def test_shoots_are_renamed_and_put_together(self):
        (shoot,) = self.shoots()
        self.http.patch(f"/api/shoots/{shoot['id']}", json={"name": "Tarrowick"})
        with self.database.session() as session:
            other = Shoot(name="Second night")
            other.scenes.append(Scene(title="Left here"))
            session.add(other)
            session.commit()
            number = other.id
        self.assertEqual(self.http.post(f"/api/shoots/{shoot['id']}/into/{shoot['id']}").status_code, 400)
        self.assertEqual(self.http.post(f"/api/shoots/{shoot['id']}/into/{number}").status_code, 200)
        (left,) = self.shoots()
        self.assertEqual((left["name"], [s["id"] for s in left["scenes"]]), ("Second night", [self.scene["id"]]))
        self.assertEqual(self.http.patch(f"/api/shoots/{shoot['id']}", json={"name": "x"}).status_code, 404)

    def test_a_scene_goes_elsewhere_as_one_file_and_nothing_of_it_is_lost(self):
        for label, document in (("Bright", {"exposure": {"ev": 1.0}}), ("Drawn", {"areas": [DRAWN]})):
            body = {"document": document, "parent": self.http.get(self.address).json()["revision"], "label": label}
            self.assertEqual(self.http.put(f"{self.address}/treatment", json=body).status_code, 200)
        self.http.put(f"{self.address}/marks", json={"name": "good", "revision": None})
        self.http.post(f"{self.address}/takes", json={"name": "Other", "revision": None})
        frame = self.http.get(self.address).json()["frames"][0]
        self.http.patch(f"/api/frames/{frame['id']}", json={"included": False})
        self.http.post(f"{self.address}/merge")
        self.work()
        self.http.patch(self.address, json={"title": "Basin", "choice": 3})
        told = self.http.get(f"{self.address}/history").json()
        packed = self.http.get(f"{self.address}/scene.crenn")
        self.assertIn("Basin.crenn", packed.headers["content-disposition"])
        # Here its frames are known already, and that is said.
        path = self.folder / "scene.crenn"
        path.write_bytes(packed.content)
        self.assertIn("in the library already", self.bring_in([path])["refusals"][0]["reason"])
        other = ApiCase("setUp")
        other.left = self.left
        other.setUp()
        self.addCleanup(other.doCleanups)
        scene = other.bring_in([path])["scenes"][0]
        self.assertEqual((scene["title"], scene["choice"], scene["ready"]), ("Basin", 3, True))
        address = f"/api/scenes/{scene['id']}"
        again = other.http.get(f"{address}/history").json()
        for one in (told, again):
            for entry in one["entries"]:
                del entry["revision"], entry["created"]
        self.assertEqual(again["entries"], told["entries"])
        self.assertEqual([t["name"] for t in again["takes"]], [t["name"] for t in told["takes"]])
        here, there = (client.get(at).json() for client, at in ((self.http, self.address), (other.http, address)))
        self.assertEqual(there["treatment"], here["treatment"])
        self.assertEqual([f["included"] for f in there["frames"]], [f["included"] for f in here["frames"]])
        # What was said of frames is undone there too, though they have other numbers.
        other.http.post(f"{address}/undo")
        self.assertTrue(all(f["included"] for f in other.http.get(address).json()["frames"]))
        self.refused(other, packed.content)

    def refused(self, other: ApiCase, content: bytes) -> None:
        """Files that were changed are refused, each in words."""

        def changed(work) -> bytes:
            out = io.BytesIO()
            with zipfile.ZipFile(io.BytesIO(content)) as old, zipfile.ZipFile(out, "w") as new:
                for name in old.namelist():
                    data = old.read(name)
                    if name == "scene.json":
                        manifest = json.loads(data)
                        work(manifest)
                        data = json.dumps(manifest).encode()
                    new.writestr(name, data)
            return out.getvalue()

        def twist_piece(manifest: dict) -> None:
            digest = next(iter(manifest["pieces"]))
            manifest["pieces"][digest] = {"ev": 5}

        wrong = {
            "is damaged": b"no archive",
            "cannot be": changed(lambda m: m.update(version=9)),
            "was changed": changed(twist_piece),
            "not there": changed(lambda m: m["states"][0].update(parent=m["states"][-1]["id"])),
            "stands at": changed(lambda m: m.update(worked_on=10**6)),
            "exported, or is damaged": changed(lambda m: m["frames"][0].update(file="frames/9999.dng")),
            "pattern": changed(lambda m: m["frames"][0].update(file="../../etc/passwd")),
        }
        for said, data in wrong.items():
            path = self.folder / "wrong.crenn"
            path.write_bytes(data)
            reasons = [r["reason"] for r in other.bring_in([path])["refusals"]]
            self.assertTrue(any(said in reason for reason in reasons), (said, reasons))

    def test_contact_sheets_are_written_as_files(self):
        number = self.shoots()[0]["id"]
        answer = self.http.get(f"/api/shoots/{number}/sheet.jpg")
        with Image.open(io.BytesIO(answer.content)) as page:
            self.assertEqual(page.width, 1654)
            codes = np.asarray(page.convert("L")).astype(float)
        # The scene's picture stands on the paper, with letters below it.
        picture = codes[200:480, 130:550]
        self.assertGreater(picture.std(), 15)
        self.assertLess(codes[500:560, 110:560].min(), 100)
        plain = self.http.get(f"/api/shoots/{number}/sheet.jpg", params={"facts": False})
        with Image.open(io.BytesIO(plain.content)) as page:
            self.assertLess(page.height, codes.shape[0])
        pdf = self.http.get(f"/api/shoots/{number}/sheet.pdf")
        self.assertTrue(pdf.content.startswith(b"%PDF"))
        self.assertIn("attachment", pdf.headers["content-disposition"])
        self.assertEqual(self.http.get(f"/api/shoots/{number}/sheet.gif").status_code, 422)
        self.assertEqual(list(self.served.library.incoming("").iterdir()), [])

    def test_the_disk_is_told_let_go_and_the_bin_emptied(self):
        def disk() -> dict:
            return self.http.get("/api/disk").json()

        folder = self.served.library.folder
        before = disk()
        originals = sum(p.stat().st_size for p in (folder / "originals").rglob("*") if p.is_file())
        self.assertEqual((before["originals"], before["binned"]), (originals, 0))
        self.assertGreater(before["scenes"], before["originals"])
        # What was merged just now is not old.
        self.assertEqual(self.http.post("/api/disk/drop", json={"scenes": 1, "deliveries": 1}).json()["scenes"], 0)
        self.http.put(
            f"{self.address}/treatment",
            json={
                "document": {"exposure": {"ev": 1.0}},
                "label": "Up",
                "parent": self.http.get(self.address).json()["revision"],
            },
        )
        gone = self.http.post("/api/disk/drop", json={"scenes": 0}).json()
        self.assertEqual((gone["scenes"], gone["bytes"] > 0.9 * before["scenes"]), (1, True))
        self.assertEqual(disk()["scenes"], 0)
        scene = self.shoots()[0]["scenes"][0]
        self.assertEqual((scene["ready"], len(scene["frames"])), (False, 4))
        # Merged again, it is treated as it was.
        self.assertEqual(self.http.post(f"{self.address}/merge").status_code, 200)
        self.work()
        self.assertEqual(self.http.get(self.address).json()["treatment"]["exposure"]["ev"], 1.0)
        self.assertTrue(self.shoots()[0]["scenes"][0]["ready"])
        # What may take no more than so much goes by itself, but for what was used last.
        limits = {"scenes": disk()["scenes"] // 2, "deliveries": 0}
        delivered = folder / "deliveries" / "77.jpg"
        delivered.write_bytes(bytes(100))
        self.assertEqual(self.http.put("/api/disk/limits", json=limits).json(), {"bytes": 100, "scenes": 0})
        self.assertEqual(self.http.get("/api/disk/limits").json(), limits)
        other = self.bring_in(take(self.folder / "b", night(), [Exposure(1.0), Exposure(4.0)], name="b", seed=9))
        Sweeper(self.database, self.served.library).sweep()
        self.assertEqual([s["scenes"][0]["ready"] for s in self.shoots()], [True, False])
        self.assertEqual(self.http.put("/api/disk/limits", json={"scenes": -1}).status_code, 422)
        self.http.put("/api/disk/limits", json={})
        self.http.patch(f"/api/scenes/{other['scenes'][0]['id']}", json={"binned": True})
        self.assertEqual(self.http.post("/api/bin/empty").json()["scenes"], 1)
        # What lies in the bin goes for good, and its frames can be brought in anew.
        self.http.patch(self.address, json={"binned": True})
        self.assertEqual(disk()["binned"], 1)
        self.assertEqual(self.http.post("/api/bin/empty").json()["scenes"], 1)
        self.assertEqual(self.shoots(), [])
        self.assertEqual((disk()["originals"], disk()["scenes"]), (0, 0))
        self.assertEqual(self.http.get(self.address).status_code, 404)
        again = self.bring_in(a_night(self.folder / "again"))
        self.assertEqual((len(again["scenes"]), again["refusals"]), (1, []))
        for wrong in ({"scenes": -1}, {"deliveries": "all"}, {"more": 1}):
            self.assertEqual(self.http.post("/api/disk/drop", json=wrong).status_code, 422, wrong)

    def test_a_scene_that_is_worked_on_is_not_deleted(self):
        self.http.post(f"{self.address}/merge")
        self.http.patch(self.address, json={"binned": True})
        answer = self.http.post("/api/bin/empty")
        self.assertEqual(answer.status_code, 400)
        self.assertIn("being worked on", answer.json()["detail"])
        self.assertEqual(len(self.shoots()[0]["scenes"]), 1)
