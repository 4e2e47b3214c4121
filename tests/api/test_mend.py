"""Mends over HTTP: what they came to, changes by id, and what is refused."""

import json

import numpy as np

from crenn.store.models import Frame, Scene
from crenn.store.treatments import start_treatment
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

    def another(self, title: str, camera: str, offset: list[int]) -> int:
        """Put a second scene into the shoot, as if it had been merged from frames of a camera; its number."""
        with self.database.session() as session:
            scene = session.get_one(Scene, self.scene["id"])
            report = json.loads(json.dumps(scene.report))
            report["basis"] = report["basis"] | {"offset": offset, "frame": title}
            other = Scene(shoot_id=scene.shoot_id, title=title, report=report, prepared=scene.prepared, instructions={})
            session.add(other)
            session.flush()
            start_treatment(session, other)
            for frame in scene.frames:
                columns = {c.name: getattr(frame, c.name) for c in Frame.__table__.columns if c.name != "id"}
                hashed = f"{title}{frame.id}".ljust(64, "x")[:64]
                session.add(Frame(**columns | {"scene_id": other.id, "content_hash": hashed, "camera": camera}))
            session.commit()
            return other.id

    def test_a_layer_goes_to_where_it_lies_on_the_sensor_in_other_scenes(self):
        scene = self.http.get(self.address).json()
        origin = {"shift": [0.1, 0.0]}
        edge = {"id": "m2", "points": [200, 3000], "radius": 0.01}
        layer = {"id": "dust", "name": "Dust", "patches": [SPOT | {"origin": origin}, edge]}
        put = {"document": {"mend": [layer]}, "parent": scene["revision"], "label": "Dust"}
        self.assertEqual(self.http.put(f"{self.address}/treatment", json=put).status_code, 200)
        camera = self.scene["frames"][0]["camera"]
        same, _ = self.another("Same", camera, [24, 12]), self.another("Other", "Another camera", [0, 0])
        for _ in range(2):
            answer = self.http.post(f"{self.address}/mend/spread", json={"layer": "dust"})
            self.assertEqual((answer.status_code, answer.json()), (200, {"scenes": ["Same"]}))
        (found,) = self.http.get(f"/api/scenes/{same}").json()["treatment"]["mend"]
        # What lay before the other scene's corner is not in it; the rest is found anew.
        (spot,) = found["patches"]
        self.assertIsNone(spot["origin"])
        offset = scene["report"]["basis"]["offset"]
        expected = np.array(SPOT["points"]) - (np.array([24, 12]) - offset) / scene["width"] * 16384
        np.testing.assert_allclose(spot["points"], expected, atol=1)
        self.assertEqual(self.http.post(f"{self.address}/mend/spread", json={"layer": "gone"}).status_code, 404)

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
