"""The picture's WebSocket and the news, as a client sees them."""

import json
import struct

import cv2
import numpy as np
from websockets.exceptions import ConnectionClosed, InvalidStatus
from websockets.sync.client import connect

from crenn.jobs.queue import defer
from tests.api.case import ApiCase
from tests.support import night, take


class Sockets(ApiCase):
    def setUp(self):
        super().setUp()
        self.scene = self.bring_in(take(self.folder / "in", night()))["scenes"][0]
        self.prepared = self.http.get(f"/api/scenes/{self.scene['id']}").json()["prepared"]

    def socket(self, path: str, **more):
        return connect(self.served.address.replace("http", "ws") + path, max_size=None, origin=self.served.address, **more)

    def wish(self, number: int, **changes) -> str:
        return json.dumps({"number": number, "prepared": self.prepared, "treatment": {}, "view": "picture", "x": 0, "y": 0,
                           "width": 480, "height": 320, "out_width": 480, "out_height": 320, "coarse": False} | changes)

    def picture(self, data: bytes) -> tuple[dict, np.ndarray]:
        length = struct.unpack("<I", data[:4])[0]
        return json.loads(data[4:4 + length]), cv2.imdecode(np.frombuffer(data[4 + length:], np.uint8), cv2.IMREAD_COLOR)

    def test_a_picture_with_its_ladder(self):
        with self.socket("/api/view") as line:
            line.send(self.wish(7))
            header, image = self.picture(line.recv(20))
        self.assertEqual(header["number"], 7)
        self.assertEqual(image.shape, (320, 480, 3))
        tones = [tone for _, tone in header["ladder"]]
        self.assertTrue(tones[0] < 3 and tones[-1] > 97)
        self.assertGreater(image.std(), 20)

    def test_the_latest_request_wins(self):
        with self.socket("/api/view") as line:
            for number in range(40):
                line.send(self.wish(number, treatment={"exposure": {"ev": number / 10}}))
            numbers = []
            while not numbers or numbers[-1] != 39:
                numbers.append(self.picture(line.recv(20))[0]["number"])
        self.assertLess(len(numbers), 30, "requests overtaken by newer ones are not rendered")
        self.assertEqual(numbers, sorted(numbers))

    def test_coarse_pictures_are_smaller_and_every_view_is_drawn(self):
        with self.socket("/api/view") as line:
            line.send(self.wish(1, out_width=960, out_height=640, coarse=True))
            self.assertEqual(self.picture(line.recv(20))[1].shape, (320, 480, 3))
            images = []
            for number, view in enumerate(("picture", "limits", "untreated", "source")):
                line.send(self.wish(number, view=view, treatment={"exposure": {"ev": 6}}))
                images.append(self.picture(line.recv(20))[1].astype(int))
            for other in images[1:]:
                self.assertGreater(np.abs(other - images[0]).mean(), 1)

    def test_what_lies_under_the_pointer(self):
        with self.socket("/api/view") as line:
            line.send(json.dumps({"prepared": self.prepared, "treatment": {}, "probe": [240, 40]}))
            found = json.loads(line.recv(20))["probe"]
            self.assertAlmostEqual(found["stop"], np.log2(night()[40, 240] @ [0.2627, 0.678, 0.0593]) - 2, delta=0.3,
                                   msg="relative to the reference, the frame of 1/4 s")
            self.assertGreater(found["snr_db"], 15)
            line.send(json.dumps({"prepared": self.prepared, "treatment": {}, "probe": [-5, 40]}))
            self.assertIsNone(json.loads(line.recv(20))["probe"])

    def test_bad_requests_are_told_and_the_line_stays_open(self):
        with self.socket("/api/view") as line:
            for bad in (self.wish(1, prepared="../../etc"), self.wish(2, treatment={"sparkle": 1}),
                        self.wish(3, view="rainbow"), self.wish(4, prepared="99-99"), self.wish(5, out_width=10**6)):
                line.send(bad)
                self.assertIn("fault", json.loads(line.recv(20)), bad)
            line.send(self.wish(6))
            self.assertEqual(self.picture(line.recv(20))[0]["number"], 6)

    def test_news_of_jobs_and_scenes(self):
        with self.socket("/api/news") as line:
            first = json.loads(line.recv(20))
            self.assertEqual(first["scenes"][0]["prepared"], self.prepared)
            job_id = defer(self.database, "merge", scene_id=self.scene["id"])
            self.assertIn(job_id, [j["id"] for j in json.loads(line.recv(20))["jobs"]])
            self.work()
            while True:
                told = json.loads(line.recv(20))
                if any(j["id"] == job_id and j["state"] == "done" for j in told.get("jobs", [])):
                    break

    def test_pages_from_elsewhere_get_no_line(self):
        with self.assertRaises((InvalidStatus, ConnectionClosed)):
            with connect(self.served.address.replace("http", "ws") + "/api/news", origin="http://evil.example") as line:
                line.recv(5)


class Dials(ApiCase):
    def test_every_step_tells_its_dials(self):
        steps = self.http.get("/api/steps").json()
        self.assertEqual([s["name"] for s in steps], ["exposure", "white_balance", "placement", "tone", "ends"])
        dials = [p for s in steps for p in s["parameters"]]
        self.assertTrue(all(d["unit"] and d["help"] and d["low"] < d["high"] for d in dials))
        self.assertEqual({d["name"] for d in dials if d["shows"] == "limits"}, {"white", "black"})

    def test_the_contract_is_published(self):
        described = self.http.get("/api/openapi.json").json()
        self.assertIn("/api/scenes/{scene_id}/treatment", described["paths"])
        self.assertIn("Treatment", described["components"]["schemas"])
