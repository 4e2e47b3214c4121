"""The lens of a scene as a client asks for it: what is found, the list, what the picture tells, and what cannot be."""

import numpy as np

from crenn.camera.glass import Glass
from tests.api.test_sockets import SocketCase
from tests.support import night, take

SIZE = (480, 320)
NAME = "Crenn " + Glass.name
FOCAL = 30.0


class Lens(SocketCase):
    @staticmethod
    def frames(folder):
        light = night() * Glass(FOCAL, SIZE).transmission(8.0)[..., None]
        return take(folder, light, lens=Glass.name, focal_length=FOCAL)

    def ask(self, **lens) -> dict:
        answer = self.http.post(f"/api/scenes/{self.scene['id']}/lens", json={"lens": lens})
        self.assertEqual(answer.status_code, 200, answer.text)
        return answer.json()

    def test_it_is_found_by_what_the_frames_tell(self):
        found = self.ask()
        self.assertEqual(found["told"], Glass.name)
        self.assertEqual(found["lens"]["name"], NAME)
        self.assertAlmostEqual(found["focal_length"], FOCAL, places=3)
        plot = found["plot"]
        truth = -np.log2(Glass(FOCAL, SIZE).transmission(8.0)[0, 0])
        self.assertAlmostEqual(plot["falloff"][-1], truth, delta=0.02)
        self.assertLess(plot["distortion"][-1], -0.5)
        self.assertEqual(plot["distortion"][0], 0)

    def test_amounts_and_settings_show_in_the_plot(self):
        whole, half = self.ask(), self.ask(falloff_amount=50, distortion_amount=0)
        self.assertAlmostEqual(half["plot"]["falloff"][-1], whole["plot"]["falloff"][-1] / 2, delta=1e-3)
        self.assertEqual(max(map(abs, half["plot"]["distortion"])), 0)
        open_wide = self.ask(aperture=2.8)["plot"]["falloff"][-1]
        self.assertGreater(open_wide, 3 * whole["plot"]["falloff"][-1])
        self.assertGreater(abs(self.ask(focal_length=20)["plot"]["distortion"][-1]), 2)

    def test_none_is_none(self):
        found = self.ask(profile="")
        self.assertIsNone(found["lens"])
        self.assertEqual(max(map(abs, found["plot"]["falloff"] + found["plot"]["distortion"])), 0)

    def test_the_list_is_searched(self):
        path = f"/api/scenes/{self.scene['id']}/lenses"
        found = self.http.get(path, params={"text": "20-35 simulated"}).json()
        self.assertEqual([(lens["name"], lens["fits"]) for lens in found], [(NAME, True)])
        self.assertEqual(len(self.http.get(path).json()), 40)
        self.assertEqual(self.http.get(path, params={"text": "x" * 500}).status_code, 422)
        self.assertEqual(self.http.get("/api/scenes/999/lenses").status_code, 404)

    def test_the_picture_follows(self):
        """The corners of the picture are as bright as those of a picture without fall-off."""
        with self.socket("/api/view") as line:

            def corner(number: int, **lens) -> float:
                fixed = {"exposure": {"ev": 3}, "placement": {"on": False}, "lens": lens, "crop": {"on": False}}
                line.send(self.wish(number, part=None, document=fixed, out_width=480, out_height=320, most=1))
                _, image = self.picture(line.recv(20))
                return float(image[:12, :12].mean())

            without, found = corner(1, profile=""), corner(2, distortion_amount=0)
            self.assertGreater(found, without * 1.1)

    def test_what_cannot_be_is_said(self):
        path = f"/api/scenes/{self.scene['id']}/lens"
        for body, status, words in (
            ({"lens": {"focal_length": 0}}, 422, "focal_length"),
            ({"lens": {"profile": "x" * 999}}, 422, "profile"),
            ({"lens": {"profile": "Nobody's 12 mm"}}, 400, "no lens"),
            ({}, 422, "lens"),
        ):
            answer = self.http.post(path, json=body)
            with self.subTest(body=str(body)[:60]):
                self.assertEqual(answer.status_code, status)
                self.assertIn(words, answer.text)
        for lines, words in (([[0.2, 0.2, 0.22, 0.2]], "too short"), ([], "lines"), ([[0, 0, 9e9, 1]], "lines")):
            answer = self.http.post(path + "/distortion", json={"lens": {}, "lines": lines})
            self.assertIn(answer.status_code, (400, 422))
            self.assertIn(words, answer.text)

    def test_fall_off_is_measured_on_the_picture(self):
        answer = self.http.post(f"/api/scenes/{self.scene['id']}/lens/falloff")
        self.assertEqual(answer.status_code, 200, answer.text)
        truth = -np.log2(Glass(FOCAL, SIZE).transmission(8.0)[0, 0])
        self.assertAlmostEqual(answer.json()["falloff"], truth, delta=0.15)
