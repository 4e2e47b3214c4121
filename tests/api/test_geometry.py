"""Geometry and areas as a client asks for them: steps, lines, pictures with their map, and what cannot be."""

import json

import numpy as np

from crenn.core.treatment import STEPS
from tests.api.test_sockets import SocketCase


class Panels(SocketCase):
    def test_steps_tell_all_that_their_panels_need(self):
        steps = self.http.get("/api/steps").json()
        for station in {s.station for s in STEPS}:
            told = [s["name"] for s in steps if s["station"] == station]
            own = [s for s in STEPS if s.station == station]
            self.assertEqual(told, [s.name for s in own if s.leads] + [s.name for s in own if not s.leads])
        by_name = {s["name"]: s for s in steps}
        self.assertEqual({s["station"] for s in steps}, {"geometry", "light", "noise", "colour", "mend", "finish"})
        self.assertEqual(by_name["crop"]["defaults"]["ratio"], "scene")
        kinds = {p["name"]: p["kind"] for p in by_name["crop"]["parameters"]}
        self.assertEqual(kinds, {"ratio": "choice", "portrait": "toggle", "corners": "toggle"})
        ratio = next(p for p in by_name["crop"]["parameters"] if p["name"] == "ratio")
        self.assertIn("16:10", ratio["names"])
        bends = {
            f"{s['name']}.{p['name']}": p["bend"]["kind"]
            for s in steps
            for p in s["parameters"]
            if p["kind"] == "dial" and p["bend"]
        }
        self.assertEqual(bends["exposure.ev"], "add")
        self.assertEqual(bends["white_balance.temperature"], "mired")
        self.assertEqual(bends["tone.contrast"], "factor")
        self.assertTrue(by_name["relief"]["folded"])

    def test_lines_that_are_drawn_say_how_the_camera_was_held(self):
        path = f"/api/scenes/{self.scene['id']}/straighten"
        lean = 0.1
        lines = [[0.2, 0.1, 0.2 + 0.4 * lean, 0.5], [0.7, 0.1, 0.7 + 0.4 * lean, 0.5]]
        found = self.http.post(path, json={"lines": lines}).json()
        self.assertAlmostEqual(found["level"], np.degrees(np.arctan(lean)), delta=0.02)
        self.assertEqual((found["vertical"], found["horizontal"]), (0.0, 0.0))
        mirrored = self.http.post(path, json={"lines": lines, "turn": {"mirror": True}}).json()
        self.assertAlmostEqual(mirrored["level"], -found["level"], places=6)

    def test_lines_that_cannot_be(self):
        path = f"/api/scenes/{self.scene['id']}/straighten"
        for body, status, words in (
            ({"lines": [[0.1, 0.1, 0.1, 0.1], [0.5, 0.1, 0.5, 0.6]]}, 400, "two places"),
            ({"lines": [[0.1, 0.1, 0.1, 0.6]]}, 400, "second one"),
            ({"lines": [[0, 0, 1, 1e9]]}, 422, "lines"),
            ({"lines": [[0, 0, 1]]}, 422, "lines"),
            ({"turn": {"quarters": "5"}}, 422, "quarters"),
        ):
            answer = self.http.post(path, json=body)
            with self.subTest(body=body):
                self.assertEqual(answer.status_code, status)
                self.assertIn(words, answer.text)
        self.assertEqual(self.http.post("/api/scenes/999/straighten", json={}).status_code, 404)


class Pictures(SocketCase):
    CUT = {"crop": {"ratio": "free", "centre": [0.5, 0.3], "width": 0.5, "height": 0.25}}

    def asked(self, line, number: int, **changes) -> tuple[dict, np.ndarray]:
        line.send(self.wish(number, **changes))
        return self.picture(line.recv(20))

    def test_a_fitted_picture_says_how_large_it_is_and_how_it_lies(self):
        with self.socket("/api/view") as line:
            header, image = self.asked(line, 1, part=None, document=self.CUT, out_width=200, out_height=200, most=1)
            self.assertEqual(header["picture"], [240, 120])
            self.assertEqual(image.shape, (100, 200, 3))
            first = header["map"]
            np.testing.assert_allclose(first["to_scene"][0], [0.25, 0.175], atol=1e-6)
            again, _ = self.asked(line, 2, part=None, document=self.CUT, known=first["name"])
            self.assertEqual(again["map"], first["name"])
            other, _ = self.asked(line, 3, part=None, document={}, known=first["name"])
            self.assertEqual(other["picture"], [480, 320])
            self.assertNotEqual(other["map"]["name"], first["name"])

    def test_all_that_was_recorded_is_shown_to_set_the_crop_in(self):
        treatment = self.CUT | {"level": {"angle": 10.0}}
        with self.socket("/api/view") as line:
            header, _ = self.asked(line, 1, part=None, document=treatment, uncropped=True)
        width, height = header["picture"]
        self.assertTrue(width > 480 and height > 320)
        x, y, w, h = header["crop"]
        self.assertTrue(0 < x < x + w < width and 0 < y < y + h < height)
        self.assertEqual((w, h), (240, 120))
        self.assertEqual(len(header["room"]), 4)
        # Without a lens's bend the room is what was recorded.
        for corner in header["room"]:
            self.assertLess(np.abs(np.array(header["outline"]) - corner).max(1).min(), 0.05)
        # Empty corners are no crushed shadows.
        self.assertLess(header["limits"]["black"], 0.05)

    def test_a_crop_that_leaves_nothing_is_said_and_the_line_goes_on(self):
        nothing = {"crop": {"centre": [1.8, 0.1]}}
        over = {"perspective": {"vertical": 40, "horizontal": 40}}
        with self.socket("/api/view") as line:
            for treatment, words in ((nothing, "outside the picture"), (over, "perspective")):
                line.send(self.wish(1, document=treatment))
                told = json.loads(line.recv(20))
                self.assertIn(words, told["fault"])
            header, _ = self.asked(line, 2, part=None, document=nothing, uncropped=True)
            self.assertIsNone(header["crop"])
            line.send(json.dumps({"prepared": self.prepared, "document": over, "probe": [5, 5]}))
            self.assertIn("perspective", json.loads(line.recv(20))["fault"])
            header, _ = self.asked(line, 3)
            self.assertEqual(header["number"], 3)

    def test_a_probe_reads_the_place_that_is_shown(self):
        with self.socket("/api/view") as line:
            told = []
            for treatment, at in ((self.CUT, [30, 40]), ({}, [150, 124])):
                line.send(json.dumps({"prepared": self.prepared, "document": treatment, "probe": at}))
                told.append(json.loads(line.recv(20))["probe"])
        self.assertEqual(told[0]["place"], told[1]["place"])
        self.assertEqual(told[0]["stop"], told[1]["stop"])

    def test_an_area_and_its_mask_are_shown(self):
        area = {"parts": [{"kind": "ellipse", "centre": [0.5, 0.33], "radii": [0.1, 0.1]}], "bends": {}}
        # Noise would be taken out of what is in view from one picture to the next.
        treatment = {"areas": [area], "noise": {"on": False}}
        with self.socket("/api/view") as line:
            header, mask = self.asked(line, 1, document=treatment, view="mask", area="a1")
            self.assertEqual(header["view"], "mask")
            self.assertGreater(mask[158, 240].min(), 250)
            self.assertLess(mask[10, 10].max(), 5)
            _, shown = self.asked(line, 2, document=treatment, view="area", area="a1")
            self.assertLess(np.ptp(shown[20, 20].astype(int)), 12)
            # One that is not there shows the picture.
            _, plain = self.asked(line, 3, document=treatment, view="area", area="gone")
            _, picture = self.asked(line, 4, document=treatment)
            np.testing.assert_array_equal(plain, picture)
