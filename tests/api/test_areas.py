"""Areas over HTTP: what lies within them, picks, pasted areas, presets, masks as files, views; what is refused."""

import json
import struct

import cv2
import numpy as np
from websockets.sync.client import connect

from tests.api.case import SceneCase

SKY = {"name": "Sky", "parts": [{"kind": "found", "what": "sky"}], "bends": {"exposure.ev": -1}}
DISC = {"name": "Disc", "parts": [{"kind": "ellipse", "centre": [0.5, 0.3], "radii": [0.2, 0.1], "feather": 0.1}]}
DOCUMENT = {"format": "crenn-areas", "version": 1, "scene": [1.0, 0.6667], "areas": [SKY, DISC]}


class Areas(SceneCase):
    def post(self, what: str, body: dict, code: int = 200) -> dict:
        answer = self.http.post(f"{self.address}/areas/{what}", json=body)
        self.assertEqual(answer.status_code, code, answer.text)
        return answer.json()

    def keep(self, document: dict) -> None:
        scene = self.http.get(self.address).json()
        change = {"document": document, "parent": scene["revision"], "label": "Areas"}
        self.assertEqual(self.http.put(f"{self.address}/treatment", json=change).status_code, 200)

    def test_outlines_shares_and_stops_within(self):
        found = self.post("within", {"document": {"areas": [SKY, DISC]}, "area": "a2"})
        sky, disc = found["outlines"]
        self.assertAlmostEqual(sky["share"], 0.6, delta=0.05)
        # The area of an ellipse, in shares of a picture of three to two.
        self.assertAlmostEqual(disc["share"], np.pi * 0.2 * 0.1 / (2 / 3), delta=0.005)
        line = np.array(disc["lines"][0]).reshape(-1, 2)
        away = np.hypot((line[:, 0] - 0.5) / 0.2, (line[:, 1] - 0.3) / 0.1)
        self.assertLess(np.abs(away - 1).max(), 0.06)
        report = self.http.get(self.address).json()["report"]
        stops = np.array(found["stops"])
        self.assertEqual(len(stops), len(report["histogram"]))
        self.assertAlmostEqual(stops.sum(), disc["share"], delta=0.004)
        self.assertIsNone(self.post("within", {"document": {"areas": [DISC]}})["stops"])
        self.assertIsNone(self.post("within", {"document": {"areas": [DISC]}, "area": "gone"})["stops"])

    def test_a_colour_is_picked_before_any_dial(self):
        found = self.post("pick", {"place": [0.5, 0.1]})
        # The sky is blue.
        self.assertLess(found["b"], -0.05)
        self.assertAlmostEqual(self.post("pick", {"place": [0.5, 0.1], "radius": 6})["b"], found["b"], delta=0.005)
        self.assertIn("outside", self.post("pick", {"place": [0.5, 0.9]}, 400)["detail"])
        self.post("pick", {"place": [0.5]}, 422)
        self.assertIn("LightRange", self.http.get("/api/openapi.json").text)

    def test_areas_that_hold_a_place_are_told_topmost_first(self):
        areas = [SKY | {"id": "sky"}, DISC | {"id": "disc"}, DISC | {"id": "off", "on": False}]
        centre = DISC["parts"][0]["centre"]
        found = self.post("at", {"document": {"areas": areas}, "place": centre})["areas"]
        self.assertEqual(found[0], "disc")
        self.assertNotIn("off", found)
        self.assertEqual(self.post("at", {"document": {"areas": areas}, "place": [0.5, 0.66]})["areas"], [])
        self.assertIn("outside", self.post("at", {"document": {}, "place": [0.5, 0.9]}, 400)["detail"])

    def test_pasted_areas_are_checked_and_put_where_they_belong(self):
        here = self.post("put", {"document": DOCUMENT})["areas"]
        self.assertEqual([a["name"] for a in here], ["Sky", "Disc"])
        standing = DOCUMENT | {"scene": [0.6667, 1.0]}
        moved = self.post("put", {"document": standing})["areas"][1]["parts"][0]
        self.assertAlmostEqual(moved["centre"][0], 0.75, places=3)
        self.assertAlmostEqual(moved["centre"][1], 0.2, places=3)
        for change, says in (
            ({"areas": [SKY | {"bends": {"exposure.glow": 1}}]}, "exposure.glow"),
            ({"areas": [DISC | {"parts": DISC["parts"] * 1000}]}, "parts"),
            ({"areas": []}, "areas"),
            ({"format": "notes"}, "no areas"),
        ):
            with self.subTest(**{k: str(v)[:30] for k, v in change.items()}):
                self.assertIn(says, self.post("put", {"document": DOCUMENT | change}, 400)["detail"])

    def test_presets_are_kept_replaced_and_forgotten(self):
        shipped = {p["name"]: p for p in self.http.get("/api/areas/presets").json()["presets"]}
        self.assertIn("Calm lamps", shipped)
        self.assertFalse(shipped["Calm lamps"]["own"])

        def keep(name: str, document: dict, code: int = 200) -> dict:
            answer = self.http.put("/api/areas/presets", json={"name": name, "document": document})
            self.assertEqual(answer.status_code, code, answer.text)
            return answer.json()

        keep("Dusk", DOCUMENT)
        found = keep("Dusk", DOCUMENT | {"areas": [SKY]})["presets"]
        self.assertEqual([(p["name"], len(p["document"]["areas"])) for p in found if p["own"]], [("Dusk", 1)])
        # One that ships is hidden by one of its name, and there again once that is forgotten.
        own = {p["name"]: p["own"] for p in keep("Calm lamps", DOCUMENT)["presets"]}
        self.assertTrue(own["Calm lamps"])
        self.assertEqual(list(own).count("Calm lamps"), 1)
        left = self.http.post("/api/areas/presets/forget", json={"name": "Calm lamps"}).json()["presets"]
        self.assertFalse(next(p["own"] for p in left if p["name"] == "Calm lamps"))
        self.assertEqual(self.http.post("/api/areas/presets/forget", json={"name": "Calm lamps"}).status_code, 404)
        self.assertIn("no areas", keep("Bad", {"areas": [SKY]}, 400)["detail"])
        keep("", DOCUMENT, 422)

    def test_a_mask_is_delivered_as_a_grey_picture_of_16_bits(self):
        self.keep({"areas": [SKY, DISC]})
        job = self.http.post(f"{self.address}/deliveries", json={"mask": "a2"}).json()[0]
        self.work()
        answer = self.http.get(f"/api/deliveries/{job['id']}/file")
        self.assertIn("Disc.png", answer.headers["content-disposition"])
        mask = cv2.imdecode(np.frombuffer(answer.content, np.uint8), cv2.IMREAD_UNCHANGED)
        self.assertEqual((mask.shape, mask.dtype), ((320, 480), np.uint16))
        self.assertEqual(int(mask[144, 240]), 65535)
        self.assertEqual(int(mask[20, 20]), 0)
        # An area that is gone meanwhile is told.
        gone = self.http.post(f"{self.address}/deliveries", json={"mask": "gone"}).json()[0]
        self.work()
        jobs = {j["id"]: j for j in self.http.get("/api/jobs").json()}
        self.assertEqual(jobs[gone["id"]]["state"], "failed")
        self.assertIn("no longer there", jobs[gone["id"]]["fault"])

    def test_kinds_tell_the_dials_of_areas_parts_and_strokes(self):
        kinds = self.http.get("/api/areas/kinds").json()
        self.assertEqual(set(kinds["parts"]), {"gradient", "ellipse", "brush", "light", "colour", "found", "grown"})
        for dials in kinds["parts"].values():
            self.assertLessEqual({"soften", "refine"}, {d["name"] for d in dials})
        self.assertIn("edges", {d["name"] for d in kinds["stroke"]})
        self.assertEqual([d["name"] for d in kinds["area"]], ["opacity"])

    def test_views_of_areas_and_parts_and_odd_wishes(self):
        two = [DISC | {"parts": [*DISC["parts"], {"kind": "found", "what": "stars", "on": False}]}]
        wish = {
            "number": 1,
            "prepared": self.http.get(self.address).json()["prepared"],
            "document": {"areas": two},
            "part": [0, 0, 480, 320],
            "out_width": 480,
            "out_height": 320,
        }
        with connect(self.served.address.replace("http", "ws") + "/api/view", origin=self.served.address) as line:

            def picture(more: dict) -> np.ndarray:
                line.send(json.dumps(wish | more))
                data = line.recv(timeout=60)
                self.assertIsInstance(data, bytes, data)
                start = 4 + struct.unpack("<I", data[:4])[0]
                return cv2.imdecode(np.frombuffer(data[start:], np.uint8), cv2.IMREAD_COLOR).astype(float)

            mask = picture({"view": "mask", "area": "a1"})
            self.assertGreater(mask[144, 240].mean(), 250)
            self.assertLess(mask[20, 20].mean(), 5)
            for more in (
                {"view": "area", "area": "a1"},
                {"view": "part", "area": "a1", "piece": "p2"},
                {"view": "part", "area": "a1", "piece": "gone"},
                {"view": "part", "area": "gone", "piece": "p1"},
                {"view": "mask"},
            ):
                self.assertEqual(picture(more).shape, (320, 480, 3))
            plain = picture({})
            for bad in (
                {"areas": [DISC | {"parts": DISC["parts"] * 1000}]},
                {"areas": [DISC | {"parts": [DISC["parts"][0] | {"radii": [0, 0]}]}]},
                {"areas": [{"parts": [{"kind": "brush", "strokes": [{"points": [1], "radius": 0.1}]}]}]},
                {"areas": [DISC] * 100},
            ):
                line.send(json.dumps(wish | {"document": bad}))
                self.assertIn("areas", json.loads(line.recv(timeout=60))["fault"])
            # Areas off the picture touch nothing of it.
            far = DISC | {"parts": [DISC["parts"][0] | {"centre": [3.0, 3.0]}], "bends": {"exposure.ev": 3}}
            np.testing.assert_array_equal(picture({"document": {"areas": [far]}}), plain)
