"""Colour over HTTP and the picture's line: the distribution, picks, casts, views; what is refused."""

import json
import struct

import numpy as np
from websockets.sync.client import connect

from tests.api.case import SceneCase
from tests.core.colour.charts import colours
from tests.support import take

SIZE = (320, 480)
HUES = (30.0, 250.0)


def halves() -> np.ndarray:
    """Reddish to the left, bluish to the right, with dark and grey strips below, float32 (320, 480, 3)."""
    rgb = np.empty((*SIZE, 3), np.float32)
    rgb[:, :240], rgb[:, 240:] = colours(HUES[0], 0.15, 0.5), colours(HUES[1], 0.15, 0.5)
    rgb[240:280] = 0.1
    rgb[280:] = 2.0**-16
    return rgb


class Colour(SceneCase):
    @staticmethod
    def frames(folder) -> list:
        return take(folder, halves())

    def post(self, what: str, body: dict, code: int = 200) -> dict:
        answer = self.http.post(f"{self.address}/colour/{what}", json={"document": {}} | body)
        self.assertEqual(answer.status_code, code, answer.text)
        return answer.json()

    def test_the_distribution_before_and_after(self):
        grey = {"document": {"saturation": {"saturation": 0}}}
        found = self.post("distribution", grey)
        before, after = (np.array(found[when]) for when in ("before", "after"))
        self.assertGreater(before[:, 3:].sum(), 0.6)
        self.assertGreater(after[:, :2].sum(), 0.95)

    def test_a_place_is_picked_and_others_are_refused_in_words(self):
        for x, hue in ((0.2, HUES[0]), (0.8, HUES[1])):
            found = self.post("pick", {"place": [x, 0.2], "radius": 8})
            self.assertLess(abs((found["hue"] - hue + 180) % 360 - 180), 6)
            self.assertLess(found["spread"], 8)
            self.assertEqual(len(found["code"]), 3)
        for place, says in (([0.2, 0.54], "grey"), ([0.2, 0.64], "black"), ([3.0, 0.1], "outside")):
            self.assertIn(says, self.post("pick", {"place": place}, 400)["detail"])
        self.post("pick", {"place": [0.2, 0.2], "radius": 1e6}, 422)

    def test_a_cast_is_found_in_a_box_or_by_tone(self):
        left = self.post("cast", {"by": "dull", "box": [0.0, 0.0, 0.45, 0.45]})
        right = self.post("cast", {"by": "dull", "box": [0.55, 0.0, 0.45, 0.45]})
        self.assertGreater(left["red"] - right["red"], 0.5)
        self.assertGreater(right["blue"] - left["blue"], 0.5)
        self.assertIn("Too little", self.post("cast", {"by": "dull", "low": 3.5}, 400)["detail"])
        self.post("cast", {"by": "guess"}, 422)
        self.post("cast", {"by": "dull", "box": [0, 0, 0, 0]}, 422)

    def test_what_is_laid_at_once_is_a_treatment(self):
        usual = self.http.get("/api/colour/usual").json()
        names = ["Red", "Orange", "Yellow", "Green", "Cyan", "Blue", "Purple", "Magenta"]
        self.assertEqual([r["name"] for r in usual["ranges"]], names)
        document = {"hues": {"ranges": usual["ranges"]}, "tints": {"points": usual["tints"]}}
        scene = self.http.get(self.address).json()
        change = {"document": document, "parent": scene["revision"], "label": "Usual"}
        self.assertEqual(self.http.put(f"{self.address}/treatment", json=change).status_code, 200)
        kept = self.http.get(self.address).json()["treatment"]
        self.assertEqual(len(kept["hues"]["ranges"]), 8)

    def test_ranges_without_width_are_refused_in_words(self):
        document = {"hues": {"ranges": [{"name": "None", "hue": 20, "width": 0}]}}
        answer = self.http.post(f"{self.address}/colour/distribution", json={"document": document})
        self.assertEqual(answer.status_code, 400)
        self.assertIn("hues.ranges.0.width", answer.json()["detail"])

    def test_steps_tell_the_dials_of_items_and_groups(self):
        steps = {s["name"]: s for s in self.http.get("/api/steps").json()}
        shift = steps["hues"]["items"]["ranges"][0]
        self.assertEqual((shift["name"], shift["bend"]["kind"], shift["unit"]), ("shift", "add", "°"))
        groups = {p["group"] for p in steps["inks"]["parameters"]}
        self.assertEqual(len(groups), 9)
        colour = [s for s in steps if steps[s]["station"] == "colour"]
        self.assertEqual(colour[:3], ["saturation", "hues", "tints"])

    def test_views_of_a_range_and_of_what_cannot_be_shown(self):
        document = {"hues": {"ranges": [{"name": "Blue", "hue": HUES[1], "width": 60}]}}
        wish = {
            "number": 1,
            "prepared": self.http.get(self.address).json()["prepared"],
            "document": document,
            "part": [0, 0, 480, 320],
            "out_width": 480,
            "out_height": 320,
        }
        with connect(self.served.address.replace("http", "ws") + "/api/view", origin=self.served.address) as line:
            for view, more in (
                ("range", {"range": "Blue"}),
                ("range", {"range": "gone"}),
                ("outside", {}),
                ("range", {}),
            ):
                line.send(json.dumps(wish | {"view": view} | more))
                data = line.recv(timeout=60)
                self.assertIsInstance(data, bytes, data)
                header = json.loads(data[4 : 4 + struct.unpack("<I", data[:4])[0]])
                self.assertEqual(header["view"], view)
                self.assertEqual(header["tones"][0][0], -12.0)
            line.send(json.dumps({"prepared": wish["prepared"], "document": document, "probe": [400, 60]}))
            told = json.loads(line.recv(timeout=60))["probe"]
            self.assertLess(abs(told["on_circle"][0] - HUES[1]), 8)
            self.assertEqual(len(told["code"]), 3)
