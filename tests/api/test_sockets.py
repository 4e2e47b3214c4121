"""The picture's WebSocket and the news, as a client sees them."""

import json
import struct
import time
import tracemalloc
import unittest
from contextlib import ExitStack
from unittest import mock

import cv2
import numpy as np
from websockets.exceptions import ConnectionClosed, InvalidStatus
from websockets.sync.client import connect

from crenn.core.render.views import _HATCH, _draw_limits
from crenn.jobs.queue import defer
from tests.api.case import ApiCase, SceneCase
from tests.core.deliver.test_proof import dull
from tests.support import night


class SocketCase(SceneCase):
    """Lines to a served scene."""

    def socket(self, path: str, **more):
        return connect(
            self.served.address.replace("http", "ws") + path, max_size=None, origin=self.served.address, **more
        )

    def wish(self, number: int, **changes) -> str:
        part = {"x": 0, "y": 0, "width": 480, "height": 320}
        part |= {name: changes.pop(name) for name in list(changes) if name in part}
        return json.dumps(
            {
                "number": number,
                "prepared": self.prepared,
                "document": {},
                "view": "picture",
                "part": list(part.values()),
                "out_width": 480,
                "out_height": 320,
                "coarse": False,
            }
            | changes
        )

    def picture(self, data: bytes) -> tuple[dict, np.ndarray]:
        length = struct.unpack("<I", data[:4])[0]
        return json.loads(data[4 : 4 + length]), cv2.imdecode(
            np.frombuffer(data[4 + length :], np.uint8), cv2.IMREAD_COLOR
        )


class Sockets(SocketCase):
    def test_a_picture_with_its_ladder(self):
        with self.socket("/api/view") as line:
            line.send(self.wish(7))
            header, image = self.picture(line.recv(20))
        self.assertEqual(header["number"], 7)
        self.assertEqual(image.shape, (320, 480, 3))
        tones = [tone for _, tone in header["ladder"]]
        self.assertTrue(tones[0] < 3 and tones[-1] > 97)
        self.assertGreater(image.std(), 20)

    def test_a_picture_is_proofed_by_a_profile_that_was_brought_in(self):
        profile = dull().data
        files = {"file": ("printer.icc", profile)}
        self.assertEqual(self.http.post("/api/profiles", files={"file": ("p.icc", b"none")}).status_code, 400)
        kept = self.http.post("/api/profiles", files=files).json()
        self.assertEqual(kept, [{"name": "Dull printer", "space": "RGB"}])
        # By its name again, it takes the other's place.
        self.assertEqual(self.http.post("/api/profiles", files=files).json(), kept)
        proof = {"profile": "Dull printer", "marks": False}
        with self.socket("/api/view") as line:
            line.send(self.wish(1))
            plain = self.picture(line.recv(20))[1].astype(int)
            line.send(self.wish(2, proof=proof))
            proofed = self.picture(line.recv(20))[1].astype(int)
            line.send(self.wish(3, proof={"profile": "srgb"}))
            same = self.picture(line.recv(20))[1].astype(int)
            for number, wrong in enumerate(
                ({"profile": "none"}, {"profile": "srgb", "intent": "other"}, {"profile": 1})
            ):
                line.send(self.wish(4 + number, proof=wrong))
                told = json.loads(line.recv(20))
                self.assertEqual(told["number"], 4 + number, told)
        sky = np.s_[10:60, 50:430]
        self.assertLess(np.ptp(proofed[sky], -1).mean(), 0.8 * np.ptp(plain[sky], -1).mean())
        self.assertLess(np.abs(same - plain).mean(), 2)
        self.assertEqual(self.http.post("/api/profiles/forget", json={"name": "Dull printer"}).json(), [])
        self.assertEqual(self.http.post("/api/profiles/forget", json={"name": "Dull printer"}).status_code, 404)

    def test_the_latest_request_wins(self):
        with self.socket("/api/view") as line:
            for number in range(40):
                line.send(self.wish(number, document={"exposure": {"ev": number / 10}}))
            numbers = []
            while not numbers or numbers[-1] != 39:
                numbers.append(self.picture(line.recv(20))[0]["number"])
        self.assertLess(len(numbers), 30, "requests overtaken by newer ones are not rendered")
        self.assertEqual(numbers, sorted(numbers))

    def test_coarse_pictures_are_smaller_and_every_view_is_drawn(self):
        with self.socket("/api/view") as line:
            line.send(self.wish(1, out_width=960, out_height=640, coarse=True))
            height, width, _ = self.picture(line.recv(20))[1].shape
            self.assertAlmostEqual(width / height, 1.5, delta=0.01)
            self.assertAlmostEqual(width * height, 250_000, delta=1500)
            # Nothing else is asked for: the hand has slowed, and the picture comes with all its pixels.
            again, larger = self.picture(line.recv(20))
            self.assertEqual((again["number"], larger.shape), (1, (640, 960, 3)))
            images = []
            for number, view in enumerate(("picture", "limits", "untreated", "source")):
                line.send(self.wish(number, view=view, document={"exposure": {"ev": 9}}))
                images.append(self.picture(line.recv(20))[1].astype(int))
            for other in images[1:]:
                self.assertGreater(np.abs(other - images[0]).mean(), 1)

    def test_each_picture_comes_coarse_first_however_slow_the_hand(self):
        with self.socket("/api/view") as line:
            for number in range(10):
                document = {"exposure": {"ev": number / 10}}
                line.send(self.wish(number, out_width=960, out_height=640, coarse=True, document=document))
                told, width = -1, 0
                while told < number:
                    header, image = self.picture(line.recv(20))
                    self.assertGreaterEqual(header["number"], told)
                    told, width = header["number"], image.shape[1]
                self.assertLess(width, 700)
                time.sleep(0.03 * (number % 2))

    def test_what_lies_under_the_pointer(self):
        with self.socket("/api/view") as line:
            line.send(json.dumps({"prepared": self.prepared, "document": {}, "probe": [240, 40]}))
            found = json.loads(line.recv(20))["probe"]
            self.assertAlmostEqual(
                found["stop"],
                np.log2(night()[40, 240] @ [0.2627, 0.678, 0.0593]) - 2,
                delta=0.3,
                msg="relative to the reference, the frame of 1/4 s",
            )
            self.assertGreater(found["snr_db"], 15)
            line.send(json.dumps({"prepared": self.prepared, "document": {}, "probe": [-5, 40]}))
            self.assertIsNone(json.loads(line.recv(20))["probe"])

    def test_bad_requests_are_told_and_the_line_stays_open(self):
        with self.socket("/api/view") as line:
            for bad in (
                self.wish(1, prepared="../../etc"),
                self.wish(2, document={"sparkle": 1}),
                self.wish(3, view="rainbow"),
                self.wish(4, prepared="99-99"),
                self.wish(5, out_width=10**6),
            ):
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
        address = self.served.address.replace("http", "ws") + "/api/news"
        with (
            self.assertRaises((InvalidStatus, ConnectionClosed)),
            connect(address, origin="http://evil.example") as line,
        ):
            line.recv(5)


class Dials(ApiCase):
    def test_every_step_tells_its_dials(self):
        steps = self.http.get("/api/steps").json()
        self.assertEqual(
            [s["name"] for s in steps if s["station"] == "light"],
            ["haze", "white_balance", "exposure", "placement", "relief", "stars", "tone", "curve", "ends"],
        )
        dials = [p for s in steps for p in s["parameters"] if p["kind"] == "dial"]
        self.assertTrue(all(d["unit"] and d["help"] and d["low"] < d["high"] for d in dials))
        self.assertEqual({d["name"] for d in dials if d["shows"] == "limits"}, {"white", "black"})

    def test_the_contract_is_published(self):
        described = self.http.get("/api/openapi.json").json()
        self.assertIn("/api/scenes/{scene_id}/treatment", described["paths"])
        self.assertIn("Treatment", described["components"]["schemas"])


class Outrageous(SocketCase):
    """Whatever is asked, something is answered, and the line goes on."""

    def answered(self, line, message) -> dict:
        """Send a message that must be refused; the fault told."""
        line.send(message)
        told = line.recv(20)
        self.assertTrue(isinstance(told, str), f"{message[:200]!r} was taken")
        self.assertTrue(json.loads(told)["fault"])
        return json.loads(told)

    def test_numbers_that_cannot_be(self):
        nan, inf = float("nan"), float("inf")
        with self.socket("/api/view") as line:
            for change in (
                {"width": 1e300},
                {"width": nan},
                {"x": nan},
                {"y": inf},
                {"x": -inf},
                {"x": 1e300},
                {"height": 0},
                {"height": -5},
                {"out_width": 0},
                {"out_width": 8192, "out_height": 8192},
                {"out_width": 1e300},
                {"width": "wide"},
                {"document": []},
                {"document": {"exposure": {"ev": nan}}},
                {"document": {"exposure": {"ev": 1e300}}},
                {"view": "x" * 1000},
                {"prepared": "1" * 5000 + "-1"},
                {"more": 1},
                {"coarse": "perhaps"},
            ):
                with self.subTest(change=str(change)[:60]):
                    self.answered(line, self.wish(3, **change))
            for number in (-1, float("inf"), 0.5, None):
                self.answered(line, self.wish(number))
            line.send(self.wish(4))
            self.assertEqual(self.picture(line.recv(20))[0]["number"], 4)

    def test_a_part_beyond_the_picture_is_moved_into_it(self):
        with self.socket("/api/view") as line:
            for change, corner in (
                ({"x": 481, "width": 100}, (380, 0)),
                ({"y": -321}, (0, 0)),
                ({"x": -1e7, "width": 1e7 - 1}, (0, 0)),
            ):
                line.send(self.wish(3, **change))
                header, image = self.picture(line.recv(20))
                with self.subTest(change=change):
                    self.assertEqual((header["x"], header["y"]), corner)
                    self.assertGreater(image.std(), 10)

    def test_messages_that_are_no_requests(self):
        with self.socket("/api/view") as line:
            for message in (
                "5",
                "null",
                "[]",
                '"x"',
                "",
                "{",
                "[" * 50_000,
                "\ud7ff\x00",
                b"\x00\xff\x13",
                b'{"number": 1}',
                '{"probe": [NaN, 1], "prepared": "1-1", "document": {}}',
                '{"probe": [1], "prepared": "1-1", "document": {}}',
                '{"probe": "here", "prepared": "1-1", "document": {}}',
                "9" * 5000,
            ):
                with self.subTest(message=message[:40]):
                    self.answered(line, message)
            line.send(self.wish(5))
            self.assertEqual(self.picture(line.recv(20))[0]["number"], 5)

    def test_a_probe_far_outside_is_nothing(self):
        with self.socket("/api/view") as line:
            for place in ([1e300, 1], [-1e300, -1e300], [480, 0], [0, 320]):
                line.send(json.dumps({"prepared": self.prepared, "document": {}, "probe": place}))
                self.assertIsNone(json.loads(line.recv(20))["probe"], place)

    def test_windows_that_hang_over_the_edge_are_drawn(self):
        with self.socket("/api/view") as line:
            for number, change in enumerate(
                (
                    {"x": -100},
                    {"y": 319.5},
                    {"x": 479.9, "width": 1e6, "height": 1e6},
                    {"width": 1e-9, "height": 1e-9},
                    {"x": -9e6, "width": 9.9e6, "out_width": 50},
                )
            ):
                line.send(self.wish(number, **change))
                data = line.recv(20)
                self.assertTrue(isinstance(data, bytes), change)
                self.assertEqual(self.picture(data)[0]["number"], number)

    def test_a_defect_is_told_with_the_requests_number_and_the_line_goes_on(self):
        with (
            mock.patch("crenn.api.view.ladder", side_effect=ZeroDivisionError("a defect")),
            self.socket("/api/view") as line,
            self.assertLogs("crenn.api.view", "ERROR"),
        ):
            told = self.answered(line, self.wish(8))
            self.assertEqual(told["number"], 8)
            self.assertIn("ZeroDivisionError", told["fault"])
        with self.socket("/api/view") as line:
            line.send(self.wish(9))
            self.assertEqual(self.picture(line.recv(20))[0]["number"], 9)

    def test_news_does_not_mind_what_it_is_sent(self):
        with self.socket("/api/news") as line:
            line.recv(20)
            for message in (b"\x00\xff", "[]", "news?"):
                line.send(message)
            self.http.patch(f"/api/frames/{self.scene['frames'][0]['id']}", json={"included": False})
            self.http.post(f"/api/scenes/{self.scene['id']}/merge")
            self.assertTrue(json.loads(line.recv(20))["jobs"])

    def test_news_tells_of_every_job_that_is_not_done_however_many_there_are(self):
        for _ in range(40):
            self.http.post(f"/api/scenes/{self.scene['id']}/deliveries", json={"outputs": [{}]})
        with self.socket("/api/news") as one, self.socket("/api/news") as other:
            for line in (one, other):
                told = json.loads(line.recv(20))
                self.assertGreaterEqual(sum(j["state"] == "waiting" for j in told["jobs"]), 40)
                self.assertTrue(told["scenes"])
            job = self.http.post(
                f"/api/scenes/{self.scene['id']}/deliveries", json={"outputs": [{"format": "png"}]}
            ).json()[0]
            for line in (one, other):
                news = json.loads(line.recv(20))["jobs"]
                self.assertEqual([j["id"] for j in news if j["state"] == "waiting"], [job["id"]])

    def test_changes_of_a_treatment_are_all_that_is_sent(self):
        wish = json.loads(self.wish(0))
        plain = {name: value for name, value in wish.items() if name != "document"}

        def asked(line, **more) -> tuple[dict, np.ndarray]:
            message = json.dumps(plain | more)
            line.send(message)
            self.assertLess(len(message), 1000)
            return self.picture(line.recv(30))

        with self.socket("/api/view") as line:
            # With noise to be taken out a picture comes twice.
            _, dark = asked(line, number=1, document={"exposure": {"ev": -4}, "noise": {"on": False}})
            _, bright = asked(line, number=2, changes=[{"path": ["exposure", "ev"], "value": 2}])
            _, same = asked(line, number=3)
            self.assertGreater(bright.mean(), dark.mean() + 20)
            np.testing.assert_array_equal(same, bright)
            line.send(json.dumps({"prepared": self.prepared, "probe": [240, 40]}))
            self.assertGreater(json.loads(line.recv(30))["probe"]["tone"], 10)
        with self.socket("/api/view") as line:
            for lost in (
                plain | {"number": 4},
                plain | {"number": 5, "changes": [{"path": ["exposure", "ev"], "value": 2}]},
            ):
                line.send(json.dumps(lost))
                said = json.loads(line.recv(30))
                self.assertTrue(said["lost"], said)
            # A change that leads nowhere loses track as well; the whole is told again.
            asked(line, number=6, document={})
            line.send(json.dumps(plain | {"number": 7, "changes": [{"path": ["areas", "gone", "on"], "value": False}]}))
            self.assertTrue(json.loads(line.recv(30))["lost"])
            self.assertEqual(asked(line, number=8, document={})[0]["number"], 8)

    def test_a_fine_picture_that_nobody_waits_for_is_given_up(self):
        with self.socket("/api/view") as line:
            many = [{"parts": [{"kind": "found", "what": "sky", "refine": 50}] * 8, "bends": {"exposure.ev": 0.1}}] * 6
            line.send(self.wish(1, document={"areas": many}, out_width=2400, out_height=1600))
            time.sleep(0.3)
            line.send(self.wish(2, coarse=True))
            self.assertEqual(self.picture(line.recv(60))[0]["number"], 2)

    def test_many_hands_are_served_fairly(self):
        """Each of eight lines that drag at once gets its latest picture."""
        with ExitStack() as stack:
            lines = [stack.enter_context(self.socket("/api/view")) for _ in range(8)]
            got = [0] * len(lines)
            for number in range(12):
                for line in lines:
                    line.send(self.wish(number, coarse=True, document={"exposure": {"ev": number / 10}}))
            for k, line in enumerate(lines):
                last = -1
                while last != 11:
                    last = self.picture(line.recv(30))[0]["number"]
                    got[k] += 1
        self.assertLessEqual(max(got) - min(got), 8)


class Trouble(ApiCase):
    changes = {"trouble": lambda: "The disk of the library is full: 0 MB free."}

    def test_the_page_is_told_what_is_the_matter(self):
        with connect(self.served.address.replace("http", "ws") + "/api/news", origin=self.served.address) as line:
            told = {}
            while "why" not in told:
                told = json.loads(line.recv(10))
        self.assertIn("disk of the library is full", told["why"])
        self.assertTrue(told["database"], "it still answers")


class Away(ApiCase):
    changes = Trouble.changes
    stops_server = True

    def test_a_refused_edit_says_so_too(self):
        port = self.server.port
        self.server.stop()
        try:
            answer = self.http.get("/api/shoots")
        finally:
            self.server.start(port)
        self.assertEqual((answer.status_code, answer.json()["kind"]), (503, "database"))
        self.assertIn("disk of the library is full", answer.json()["detail"])


class Memory(unittest.TestCase):
    def test_a_large_limits_view_is_drawn_in_bands(self):
        """Drawing takes little besides the picture, and is the same wherever a band begins."""
        limits = np.random.default_rng(1).choice(np.array([0, 1, 3, 7, 8], np.uint8), (2000, 3000))
        codes = np.full((*limits.shape, 3), 90, np.uint8)
        tracemalloc.start()
        self.addCleanup(tracemalloc.stop)
        _draw_limits(codes, limits)
        _, peak = tracemalloc.get_traced_memory()
        self.assertLess(peak, 60e6)
        y, x = np.mgrid[:2000, :3000]
        self.assertTrue((codes[(limits == 7) & ((x + y) % 5 < 2)] == _HATCH).all())
        self.assertTrue((codes[limits == 0] == 90).all())
