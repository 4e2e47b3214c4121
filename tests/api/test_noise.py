"""Noise over HTTP and the picture's line: split after a merge, again when asked, in view first, and delivered."""

import json
import shutil
import struct
from unittest import mock

import cv2
import numpy as np
from websockets.sync.client import connect

from crenn.camera.sensor import Exposure, Sensor
from crenn.core.render.pyramid import noise_folder
from tests.api.case import ApiCase
from tests.support import BRACKET, night, take

EVENLY = {"noise": {"lifted": False, "stars": False}}


class Noise(ApiCase):
    left = ()

    @staticmethod
    def frames(folder):
        return take(folder, night() * np.float32(0.25), (Exposure(1 / 8, 8.0, 3200.0),))

    def setUp(self):
        super().setUp()
        self.layers = noise_folder(self.served.library.scene(self.told()["prepared"]))

    def told(self) -> dict:
        return self.http.get(self.address).json()

    def wish(self, treatment: dict) -> dict:
        return {
            "number": 1,
            "prepared": self.told()["prepared"],
            "document": treatment,
            "view": "picture",
            "part": [0, 0, 480, 320],
            "out_width": 480,
            "out_height": 320,
        }

    def pictures(self, treatment: dict, count: int = 1) -> list[np.ndarray]:
        """What the line sends for one request, at full size."""
        out = []
        address = self.served.address.replace("http", "ws") + "/api/view"
        with connect(address, max_size=None, origin=self.served.address) as line:
            line.send(json.dumps(self.wish(treatment)))
            for _ in range(count):
                data = line.recv(timeout=60)
                self.assertIsInstance(data, bytes, data)
                length = struct.unpack("<I", data[:4])[0]
                self.assertEqual(json.loads(data[4 : 4 + length])["number"], 1)
                out.append(cv2.imdecode(np.frombuffer(data[4 + length :], np.uint8), cv2.IMREAD_COLOR))
        return out

    @staticmethod
    def grain(picture: np.ndarray) -> float:
        sky = picture[20:120, 40:300, 1].astype(float)
        return float((sky[1:, 1:] + sky[:-1, :-1] - sky[1:, :-1] - sky[:-1, 1:]).std() / 2)

    def test_it_is_split_off_after_a_merge(self):
        self.assertGreater(self.told()["noise"]["gain_db"], 6)
        clean, noisy = (self.grain(self.pictures(t)[0]) for t in (EVENLY, {"noise": {"on": False}}))
        self.assertLess(clean, 0.4 * noisy)

    def test_it_is_split_off_again_when_asked(self):
        shutil.rmtree(self.layers)
        self.assertIsNone(self.told()["noise"])
        answer = self.http.post(f"{self.address}/noise")
        self.assertEqual((answer.status_code, answer.json()["kind"]), (202, "noise"))
        # Asked for twice it is done once.
        self.assertEqual(self.http.post(f"{self.address}/noise").json()["id"], answer.json()["id"])
        self.work()
        self.assertIsNotNone(self.told()["noise"])

    def test_what_is_in_view_is_cleaned_first(self):
        """While the rest waits, a picture comes as it is, and once more without its noise."""
        shutil.rmtree(self.layers)
        noisy, clean = (self.grain(p) for p in self.pictures(EVENLY, 2))
        self.assertLess(clean, 0.4 * noisy)
        self.assertFalse(self.layers.exists(), "what is in view is kept in memory alone")

    def test_a_fault_of_it_ends_no_line(self):
        """The picture stays as it is, and the next one comes."""
        shutil.rmtree(self.layers)
        address = self.served.address.replace("http", "ws") + "/api/view"
        broken = mock.patch("crenn.core.render.pyramid.part_of", side_effect=MemoryError)
        with broken, connect(address, max_size=None, origin=self.served.address) as line:
            for _ in range(2):
                line.send(json.dumps(self.wish(EVENLY)))
                self.assertIsInstance(line.recv(timeout=60), bytes)

    def test_what_has_been_cleaned_is_not_cleaned_again(self):
        shutil.rmtree(self.layers)
        self.pictures(EVENLY, 2)
        with mock.patch("crenn.core.render.pyramid.part_of", side_effect=AssertionError) as again:
            self.pictures(EVENLY)
            self.pictures({"noise": {"lifted": False}})
            again.assert_not_called()

    def test_a_delivery_splits_it_off_if_it_has_to(self):
        shutil.rmtree(self.layers)
        body = {"outputs": [{"format": "png"}]}
        self.assertIn(self.http.post(f"{self.address}/deliveries", json=body).status_code, (200, 202))
        self.work()
        self.assertIsNotNone(self.told()["noise"])

    def test_of_what_is_not_there_nothing_is_split(self):
        self.assertEqual(self.http.post("/api/scenes/999999/noise").status_code, 404)


class Told(ApiCase):
    """Noise told, checked and fitted: of frames whose files tell four times the variance that there is."""

    left = ()

    @staticmethod
    def frames(folder):
        light = np.repeat(np.exp2([-9.0, -6.0, -3.0]), 160)
        even = np.broadcast_to(light[None, :, None], (320, 480, 3)).astype(np.float32)
        told = tuple(4 * v for v in Sensor().noise_profile(100.0)) * 3
        return take(folder, even, BRACKET, noise_profile=told)

    def post(self, what: str, body: dict, code: int = 200) -> dict:
        answer = self.http.post(f"{self.address}/noise/{what}", json=body)
        self.assertEqual(answer.status_code, code, answer.text)
        return answer.json()

    def ratio(self) -> float:
        found = self.post("check", {"box": [0.37, 0.1, 0.26, 0.4]})
        self.assertTrue(found["smooth"])
        return found["ratio"][1]

    def test_signal_follows_the_output_and_the_treatment(self):
        full = self.post("signal", {"document": {}})
        small = self.post("signal", {"document": {}, "long_edge": 120})
        self.assertLess(small["before"]["lifted"], full["before"]["lifted"] + 1e-9)
        self.assertLess(full["after"]["lifted"], full["before"]["lifted"])
        off = self.post("signal", {"document": {"noise": {"on": False}}})
        self.assertEqual(off["after"], off["before"])
        scene = self.http.get(self.address).json()
        self.assertEqual(len(full["before"]["snr_db"]), len(scene["report"]["histogram"]))

    def test_a_box_tells_that_the_prediction_is_off_and_a_fit_mends_it(self):
        self.assertAlmostEqual(self.ratio(), 0.5, delta=0.06)
        boxes = [[0.02, 0.05, 0.28, 0.5], [0.36, 0.05, 0.28, 0.5], [0.7, 0.05, 0.28, 0.5]]
        job = self.post("model", {"boxes": boxes}, 202)
        self.assertEqual(job["kind"], "fit")
        self.work()
        kept = self.http.get(f"{self.address}/noise/model").json()
        self.assertEqual([m["iso"] for m in kept], [100.0])
        self.assertEqual(self.http.post(f"{self.address}/merge").status_code, 200)
        self.work()
        self.assertAlmostEqual(self.ratio(), 1.0, delta=0.08)
        report = self.http.get(self.address).json()["report"]
        self.assertTrue(any("Noise as fitted" in w for w in report["warnings"]))
        self.assertEqual(self.http.delete(f"{self.address}/noise/model").status_code, 204)
        self.assertEqual(self.http.get(f"{self.address}/noise/model").json(), [])
        self.http.post(f"{self.address}/merge")
        self.work()
        self.assertAlmostEqual(self.ratio(), 0.5, delta=0.06)

    def test_what_cannot_be_is_refused_in_words(self):
        for what, body, code, says in (
            ("check", {"box": [1.5, 0.1, 0.2, 0.2]}, 422, "box"),
            ("check", {"box": [0.1, 0.1, 0.0, 0.2]}, 422, "box"),
            ("check", {"box": [0.1, 0.1, 0.01, 0.01]}, 400, "too small"),
            ("check", {"box": [0.1, 0.9, 0.2, 0.1]}, 400, "outside"),
            ("signal", {"document": {"noise": {"luminance": 9}}}, 400, "luminance"),
            ("signal", {"document": {}, "long_edge": 0}, 422, "long_edge"),
            ("model", {"boxes": [[0, 0, 1]]}, 422, "boxes"),
        ):
            answer = self.http.post(f"{self.address}/noise/{what}", json=body)
            self.assertEqual(answer.status_code, code, answer.text)
            self.assertIn(says, answer.text)
        for what, body in (("check", {"box": [0.1, 0.1, 0.2, 0.2]}), ("signal", {"document": {}}), ("model", {})):
            self.assertEqual(self.http.post(f"/api/scenes/999999/noise/{what}", json=body).status_code, 404)

    def test_a_fit_that_cannot_be_fails_with_its_reason(self):
        job = self.post("model", {"boxes": [[0.1, 0.1, 0.01, 0.01]]}, 202)
        self.work()
        ended = next(j for j in self.http.get("/api/jobs").json() if j["id"] == job["id"])
        self.assertEqual(ended["state"], "failed")
        self.assertIn("too small", ended["fault"])
