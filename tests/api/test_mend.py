"""Mends over HTTP: what they came to, changes by id, and what is refused."""

import numpy as np

from tests.api.case import SceneCase

SPOT = {"id": "m1", "points": [8192, 3000], "radius": 0.02}


class Mends(SceneCase):
    def test_outlines_and_origins_are_told_of_what_acts(self):
        off = {"id": "off", "on": False, "points": [4000, 3000], "radius": 0.02}
        beyond = {"id": "far", "points": [40000, 40000], "radius": 0.02}
        document = {"mend": [{"id": "l1", "patches": [SPOT, off, beyond]}]}
        answer = self.http.post(f"{self.address}/mend", json={"document": document})
        self.assertEqual(answer.status_code, 200, answer.text)
        spot, far = answer.json()["patches"]
        self.assertEqual((spot["id"], spot["layer"], spot["mended"]), ("m1", "l1", True))
        line = np.array(spot["lines"][0]).reshape(-1, 2)
        np.testing.assert_allclose(np.hypot(*(line - [0.5, 3000 / 16384]).T), 0.02, atol=0.004)
        self.assertEqual(len(spot["origin"]["shift"]), 2)
        self.assertEqual((far["mended"], far["origin"], far["lines"]), (False, None, []))

    def test_dust_is_told_as_patches(self):
        answer = self.http.post(f"{self.address}/mend/dust", json={"document": {}})
        self.assertEqual(answer.status_code, 200, answer.text)
        self.assertLess(len(answer.json()["patches"]), 20)

    def test_a_mend_is_stored_changed_by_its_id_and_delivered(self):
        scene = self.http.get(self.address).json()
        put = {"document": {"mend": [{"id": "l1", "patches": [SPOT]}]}, "parent": scene["revision"], "label": "Mend"}
        state = self.http.put(f"{self.address}/treatment", json=put).json()
        path = ["mend", "l1", "patches", "m1"]
        origin = {"shift": [0.1, 0.02]}
        changes = [{"path": [*path, "origin"], "value": origin}, {"path": [*path, "opacity"], "value": 40}]
        body = {"changes": changes, "parent": state["revision"], "label": "Moved"}
        answer = self.http.put(f"{self.address}/treatment", json=body)
        self.assertEqual(answer.status_code, 200, answer.text)
        stored = self.http.get(self.address).json()["treatment"]["mend"][0]["patches"][0]
        self.assertEqual((stored["origin"]["shift"], stored["opacity"]), ([0.1, 0.02], 40))
        for wrong in (
            [{"path": [*path, "radius"], "value": 7}],
            [{"path": [*path, "origin"], "value": {"shift": [0.1]}}],
            [{"path": ["mend", "gone", "on"], "value": False}],
            [{"path": ["mend"], "value": 3}],
        ):
            body = {"changes": wrong, "parent": answer.json()["revision"], "label": "Wrong"}
            self.assertIn(self.http.put(f"{self.address}/treatment", json=body).status_code, (400, 422), wrong)
