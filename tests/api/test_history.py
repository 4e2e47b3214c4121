"""History, marks, takes, presets and what steps do, over HTTP."""

import contextlib
import io
import json

import cv2
import numpy as np
import rawpy
from PIL import Image

from crenn.cli import parser
from crenn.core.errors import CrennError
from crenn.core.render.matching import Look
from crenn.core.render.renderer import Renderer
from crenn.core.render.window import Window
from crenn.core.treatment import parse_treatment
from crenn.store.models import Frame, Scene
from crenn.store.treatments import start_treatment
from tests.api.case import SceneCase
from tests.core.deliver.test_proof import dull


class HistoryAndPresets(SceneCase):
    def ask(self, method: str, path: str, body: dict | None = None, code: int = 200):
        answer = self.http.request(method, f"{self.address}{path}", json=body)
        self.assertEqual(answer.status_code, code, answer.text)
        return answer.json() if "json" in answer.headers["content-type"] else answer.content

    def change(self, label: str, **sections) -> int:
        body = {"document": sections, "parent": self.ask("GET", "")["revision"], "label": label}
        return self.ask("PUT", "/treatment", body)["revision"]

    def grey(self, data: bytes) -> float:
        return float(cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_COLOR).mean())

    def test_back_marks_and_takes(self):
        bright, dark = self.change("Bright", exposure={"ev": 1.0}), self.change("Dark", exposure={"ev": -3.0})
        self.ask("PUT", "/marks", {"name": "good", "revision": bright})
        told = self.ask("GET", "/history")
        self.assertEqual([e["label"] for e in told["entries"]][-2:], ["Bright", "Dark"])
        self.assertEqual(told["entries"][-2]["marks"], ["good"])
        self.assertEqual(told["marks"], [{"name": "good", "revision": bright}])
        pictures = [self.ask("GET", f"/states/{r}/picture.jpg?side=120") for r in (bright, dark)]
        self.assertGreater(self.grey(pictures[0]), self.grey(pictures[1]) + 20)
        state = self.ask("POST", "/back", {"revision": bright, "label": "Back to good"})
        self.assertEqual(
            (state["treatment"]["exposure"]["ev"], state["merging"], state["can_undo"]), (1.0, False, True)
        )
        self.assertEqual(self.ask("POST", "/undo")["treatment"]["exposure"]["ev"], -3.0)
        self.assertEqual(self.ask("GET", f"/states/{bright}")["exposure"]["ev"], 1.0)
        dark = self.ask("GET", "/history")["entries"][-1]["revision"]
        self.ask("PUT", "/marks", {"name": "later", "revision": dark})
        taken = self.ask("POST", "/takes", {"name": "Other", "revision": bright})
        # Marks on the way to where it begins are kept; those beyond are of the other one.
        self.assertEqual([m["name"] for m in self.ask("GET", "/history")["marks"]], ["good"])
        self.assertEqual(taken["treatment"]["exposure"]["ev"], 1.0)
        first, other = self.ask("GET", "/history")["takes"]
        self.assertEqual((first["here"], other["here"], other["name"]), (False, True, "Other"))
        self.assertEqual(self.ask("GET", f"/takes/{first['id']}")["exposure"]["ev"], -3.0)
        # Another take is delivered if it is chosen.
        means = []
        for take in (None, first["id"]):
            job = self.ask(
                "POST",
                "/deliveries",
                {"outputs": [{"format": "png", "size": {"by": "pixels", "pixels": 120}}], "take": take},
            )[0]
            self.work()
            file = self.http.get(f"/api/deliveries/{job['id']}/file").content
            means.append(self.grey(file))
        self.assertGreater(means[0], means[1] + 20)
        self.ask("POST", "/deliveries", {"outputs": [{}], "take": 999999}, 404)
        renamed = self.ask("PATCH", f"/takes/{other['id']}", {"name": "Bright one"})
        self.assertEqual(renamed["takes"][1]["name"], "Bright one")
        self.assertIn("worked on", self.ask("DELETE", f"/takes/{other['id']}", code=400)["detail"])
        self.ask("POST", f"/takes/{first['id']}/choose")
        self.assertEqual(len(self.ask("DELETE", f"/takes/{other['id']}")["takes"]), 1)
        self.ask("POST", "/marks/forget", {"name": "later"})
        self.assertEqual(self.ask("POST", "/marks/forget", {"name": "good"})["marks"], [])
        for method, path, body in (
            ("GET", "/states/999999", None),
            ("POST", "/back", {"revision": 999999, "label": "x"}),
            ("POST", "/takes/999999/choose", None),
            ("POST", "/marks/forget", {"name": "none"}),
        ):
            self.ask(method, path, body, 404)
        self.ask("PUT", "/marks", {"name": ""}, 422)

    def test_merging_is_undone_with_the_rest(self):
        scene = self.ask("GET", "")
        frame, instructions = scene["frames"][0], scene["instructions"]
        self.change("Bright", exposure={"ev": 1.0})
        self.ask("PUT", "/instructions", instructions | {"align": False})
        self.http.patch(f"/api/frames/{frame['id']}", json={"included": False})
        # A page goes on storing from the treatment that it knows.
        self.change("Brighter", exposure={"ev": 1.5})
        labels = [(e["label"], e["station"]) for e in self.ask("GET", "/history")["entries"]][-4:]
        self.assertEqual(
            labels,
            [("Bright", "light"), ("Alignment", "merge"), ("A frame left out", "merge"), ("Brighter", "light")],
        )
        self.assertEqual([self.ask("POST", "/undo")["merging"] for _ in range(3)], [False, True, True])
        scene = self.ask("GET", "")
        self.assertEqual((scene["instructions"]["align"], scene["frames"][0]["included"]), (True, True))
        self.assertTrue(self.ask("POST", "/redo")["merging"])
        self.assertFalse(self.ask("GET", "")["instructions"]["align"])
        self.ask("POST", "/undo")

    def test_presets_are_kept_seen_put_on_turned_down_and_taken_off(self):
        kept = self.http.get("/api/presets").json()["presets"]
        self.assertGreaterEqual(len(kept), 12)
        document = {"glow": {"amount": 20}, "exposure": {"ev": 0.5}}
        made = self.ask("POST", "/presets/make", {"document": document, "name": "Mine", "steps": ["glow", "exposure"]})
        self.assertEqual(made["steps"], {"glow": {"amount": 20.0}, "exposure": {"ev": 0.5}})
        names = self.http.put("/api/presets", json={"document": made}).json()["presets"]
        self.assertEqual([p["preset"]["name"] for p in names if p["own"]], ["Mine"])
        on = self.ask("POST", "/presets/put-on", {"document": {}, "preset": made, "strength": 50})
        self.assertEqual((on["glow"]["amount"], on["presets"][0]["name"]), (10, "Mine"))
        full = self.ask("POST", "/presets/strength", {"document": on, "id": "p1", "strength": 100})
        self.assertEqual((full["glow"]["amount"], full["exposure"]["ev"]), (20, 0.5))
        off = self.ask("POST", "/presets/strength", {"document": full, "id": "p1", "strength": None})
        self.assertEqual((off["glow"]["amount"], off["exposure"]["ev"], off["presets"]), (0, None, []))
        bright = made | {"steps": {"exposure": {"ev": 4.0}}}
        shown, plain = (
            self.ask("POST", "/presets/picture", {"document": {}, "preset": bright, "strength": s}) for s in (100, 0)
        )
        self.assertGreater(self.grey(shown), self.grey(plain) + 10)
        # It is stored with the treatment.
        self.change("Preset", **{k: full[k] for k in ("glow", "exposure", "presets")})
        self.assertEqual(self.ask("GET", "")["treatment"]["presets"][0]["name"], "Mine")
        self.assertEqual(self.http.post("/api/presets/forget", json={"name": "Mine"}).status_code, 200)
        self.assertEqual(self.http.post("/api/presets/forget", json={"name": "Mine"}).status_code, 404)
        for body in ({"preset": made | {"steps": {"glow": {"amount": 1e9}}}}, {"preset": {"format": "x"}}):
            self.ask("POST", "/presets/put-on", {"document": {}, "strength": 100} | body, 400)
        self.ask("POST", "/presets/put-on", {"document": {}, "preset": made, "strength": 400}, 422)
        self.ask("POST", "/presets/strength", {"document": {}, "id": "p1", "strength": 10}, 404)

    def another(self, title: str) -> int:
        """A second scene of the shoot, merged from the same."""
        with self.database.session() as session:
            scene = session.get_one(Scene, self.scene["id"])
            other = Scene(shoot_id=scene.shoot_id, title=title, report=scene.report, prepared=scene.prepared)
            session.add(other)
            session.flush()
            start_treatment(session, other)
            session.commit()
            return other.id

    def test_steps_and_areas_are_carried_over_and_undone_there(self):
        other = self.another("Other")
        drawn = {"kind": "ellipse", "centre": [0.5, 0.3], "radii": [0.1, 0.1]}
        document = {
            "glow": {"amount": 30},
            "saturation": {"saturation": 1.3},
            "areas": [
                {"name": "Sky", "parts": [{"kind": "found", "what": "sky"}], "bends": {"exposure.ev": -1}},
                {"name": "Drawn", "parts": [drawn], "bends": {"exposure.ev": 1}},
            ],
        }
        body = {"document": document, "scenes": [other], "steps": ["glow", "exposure"], "areas": "found"}
        self.assertEqual(self.ask("POST", "/carry", body), [{"title": "Other", "fault": None}])
        found = self.http.get(f"/api/scenes/{other}").json()["treatment"]
        self.assertEqual((found["glow"]["amount"], found["saturation"]["saturation"]), (30, 1))
        self.assertEqual(([a["name"] for a in found["areas"]], found["exposure"]["ev"]), (["Sky"], None))
        # Tied, automatic values are the same; an area of the same name is replaced.
        self.ask("POST", "/carry", body | {"tied": True, "areas": "all"})
        found = self.http.get(f"/api/scenes/{other}").json()["treatment"]
        self.assertIsNotNone(found["exposure"]["ev"])
        self.assertEqual([a["name"] for a in found["areas"]], ["Sky", "Drawn"])
        undone = self.http.post(f"/api/scenes/{other}/undo").json()["treatment"]
        self.assertEqual((undone["exposure"]["ev"], len(undone["areas"])), (None, 1))
        self.ask("POST", "/carry", body | {"scenes": [10**6]}, 404)
        self.ask("POST", "/carry", body | {"steps": ["nothing"]})
        self.ask("POST", "/carry", body | {"scenes": []}, 422)

    def test_a_scene_is_brought_to_anothers_look(self):
        other = self.another("Warm and dark")
        state = self.http.get(f"/api/scenes/{other}").json()
        look = {
            "exposure": {"ev": state["automatic"]["values"]["exposure.ev"] - 0.8},
            "white_balance": {"temperature": 6800, "tint": 4},
            "saturation": {"saturation": 1.2},
        }
        put = {"document": look, "parent": state["revision"], "label": "Look"}
        self.assertEqual(self.http.put(f"/api/scenes/{other}/treatment", json=put).status_code, 200)
        found = self.ask("POST", "/match", {"document": {}, "scene": other})
        prepared = self.served.library.open_scene(self.ask("GET", "")["prepared"])
        renderer = Renderer(prepared)
        wanted, plain, now = (Look.of(renderer, parse_treatment(d)).values for d in (look, {}, found))
        self.assertLess(np.abs(now - wanted).max(), 0.25 * np.abs(plain - wanted).max())
        self.assertIn("itself", self.ask("POST", "/match", {"document": {}, "scene": self.scene["id"]}, 400)["detail"])
        self.ask("POST", "/match", {"document": {}, "scene": 10**6}, 404)

    def test_a_scene_has_anothers_look_by_tone_as_a_change(self):
        other = self.another("To be made even")
        state = self.ask("GET", "")
        # Darks blue and opened, lights warm: no dial of the whole picture does that.
        look = {"curve": {"deep": 0.5, "dark": 0.6}, "tones": {"shadows_blue": 0.25, "highlights_red": 0.2}}
        put = {"document": look, "parent": state["revision"], "label": "Look"}
        self.assertEqual(self.http.put(f"/api/scenes/{self.scene['id']}/treatment", json=put).status_code, 200)
        before = self.http.get(f"/api/scenes/{other}").json()["treatment"]
        renderer = Renderer(self.served.library.open_scene(self.ask("GET", "")["prepared"]))
        wanted, plain = (Look.of(renderer, parse_treatment(d)).by_tone for d in (look, before))
        path, off = f"/api/scenes/{other}", {}
        for by_tone in (False, True):
            told = self.http.post(f"{path}/look", json={"scene": self.scene["id"], "by_tone": by_tone}).json()
            self.assertIsNone(told["fault"])
            found = self.http.get(path).json()["treatment"]
            off[by_tone] = float(np.linalg.norm(Look.of(renderer, parse_treatment(found)).by_tone - wanted))
        self.assertLess(off[True], 0.35 * float(np.linalg.norm(plain - wanted)))
        self.assertLess(off[True], 0.6 * off[False])
        for _ in range(2):
            undone = self.http.post(f"{path}/undo").json()["treatment"]
        self.assertEqual(undone, before)

    def alone(self, frame: int, camera: bool = False) -> dict:
        """The job that has prepared a frame; it is not made twice."""
        asked = [self.ask("POST", "/alone", {"frame": frame, "camera": camera})["id"] for _ in range(2)]
        self.work()
        job = next(j for j in self.http.get("/api/jobs").json() if j["id"] == asked[0])
        if job["state"] == "done":
            asked.append(self.ask("POST", "/alone", {"frame": frame, "camera": camera})["id"])
        self.assertEqual(len(set(asked)), 1)
        return job

    def test_a_frame_alone_lies_as_the_scene_does(self):
        frames = [f for f in self.ask("GET", "")["frames"] if f["kind"] == "light"]
        darkest = min(frames, key=lambda f: f["sensitivity"])
        merged = self.served.library.open_scene(self.ask("GET", "")["prepared"])
        window = Window.whole(merged.size, 300)
        treatment = parse_treatment({"noise": {"on": False}})

        def light(job: dict, document: dict | None) -> np.ndarray:
            renderer = Renderer(self.served.library.open_scene(job["result"]["prepared"]))
            return renderer.picture(treatment if document is None else parse_treatment(document), window)[0] / 255

        scene = Renderer(merged).picture(treatment, window)[0] / 255
        job = self.alone(darkest["id"])
        alone = light(job, None)
        bright = scene.min(-1) > 0.35
        # As bright as the merge, and in its place.
        self.assertLess(np.median(np.abs(alone - scene)[bright]), 0.02)
        longest = max(frames, key=lambda f: f["sensitivity"])
        job = self.alone(longest["id"], camera=True)
        shown = light(job, job["result"]["treatment"])
        with self.database.session() as session:
            frame = session.get_one(Frame, longest["id"])
            path = self.served.library.original(frame.content_hash, frame.ending)
        with rawpy.imread(str(path)) as raw:
            made = np.asarray(Image.open(io.BytesIO(raw.extract_thumb().data)).resize(shown.shape[1::-1])) / 255
        # What comes in goes out.
        self.assertLess(np.abs(shown - made)[5:-5, 5:-5].mean(), 0.01)
        self.assertIn("merged", self.alone(10**6)["fault"])

    def test_what_steps_do_is_told(self):
        document = {"exposure": {"ev": 2.0}, "sharpness": {"amount": 150}, "saturation": {"saturation": 1.0}}
        groups = [["exposure"], ["sharpness"], ["saturation"], ["exposure", "sharpness"]]
        found = self.ask("POST", "/contributions", {"document": document, "groups": groups})
        exposure, sharpness, nothing, both = found
        self.assertGreater(exposure["share"], 0.5)
        self.assertEqual((nothing["share"], nothing["harm"]), (0, 0))
        self.assertGreater(sharpness["noise"], 1)
        self.assertGreaterEqual(both["delta_e"], exposure["delta_e"] * 0.9)
        self.ask("POST", "/contributions", {"document": {}, "groups": [["nothing"]]}, 422)
        self.ask("POST", "/contributions", {"document": {}, "groups": []}, 422)

    def test_a_kept_set_is_delivered_by_the_command_line(self):
        outputs = [
            {"format": "jpg", "size": {"by": "pixels", "pixels": 120}, "name": "{title} {width} {place}"},
            {"format": "jpg", "size": {"by": "pixels", "pixels": 120}, "name": "{title} {width} {place}"},
            {"format": "png", "profile": "Dull printer", "name": "{take} {space}"},
        ]
        self.http.post("/api/profiles", files={"file": ("p.icc", dull().data)})
        self.assertEqual(self.http.put("/api/outputs", json={"name": "Two", "outputs": outputs}).status_code, 200)
        out = self.folder / "delivered"

        def run(name: str) -> None:
            more = ["--out", str(out), "--database", self.database.url, "--library", str(self.served.library.folder)]
            parsed = parser().parse_args(["deliver", name, str(self.scene["id"]), *more])
            with contextlib.redirect_stdout(io.StringIO()):
                parsed.run(parsed)

        run("Two")
        title = self.scene["title"]
        wanted = {f"{title} 120 00001.jpg", f"{title} 120 00001 (2).jpg", "First take Dull printer.png"}
        self.assertEqual({p.name for p in out.iterdir()}, wanted)
        with self.assertRaisesRegex(CrennError, "no set “None”; there are: “Two”"):
            run("None")

    def test_the_command_line_tells_of_it_and_renders_a_take(self):
        url, library = self.database.url, self.served.library.folder

        def told(*arguments) -> str:
            parsed = parser().parse_args([*map(str, arguments), "--database", url])
            with contextlib.redirect_stdout(io.StringIO()) as out:
                parsed.run(parsed)
            return out.getvalue()

        number = self.scene["id"]
        bright = self.change("Brighter by far", exposure={"ev": 2.0})
        self.ask("POST", "/takes", {"name": "Bright one", "revision": bright})
        self.ask("PUT", "/marks", {"name": "good"})
        self.change("Dark again", exposure={"ev": -4.0})
        lines = told("history", number).splitlines()
        self.assertIn("Dark again", lines[-1])
        self.assertTrue(lines[-1].startswith("*") and "light" in lines[-1] and "[good]" in lines[-2], lines)
        entries = json.loads(told("history", number, "--take", "First take", "--json"))
        self.assertEqual((entries[-1]["label"], entries[-1]["here"]), ("Brighter by far", True))
        self.assertEqual(json.loads(told("takes", number, "--json"))[-1]["marks"], ["good"])
        self.assertIn("* Bright one [good]", told("takes", number))
        means = []
        for take in ("First take", "Bright one"):
            path = self.folder / f"{take}.png"
            told("render", "--scene", number, "--take", take, "--library", library, "--long-edge", 120, "--out", path)
            means.append(cv2.imread(str(path)).mean())
        self.assertGreater(means[0], means[1] + 20)
        # What is worked on has not changed by that.
        self.assertIn("* Bright one", told("takes", number))
        for arguments, says in ((("history", 10**6), "no scene"), (("takes", number, "--take", "None"), "no take")):
            with self.assertRaisesRegex(CrennError, says):
                told(*arguments)
        first = self.ask("GET", "/history")["takes"]
        self.ask("POST", f"/takes/{first[0]['id']}/choose")
        for take in first[1:]:
            self.ask("DELETE", f"/takes/{take['id']}")
