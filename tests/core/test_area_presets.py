"""Areas that travel: presets, pasted documents, other sides of a scene."""

import copy
import unittest

import numpy as np

from crenn.core.area_presets import AreasDocument, adapted, read_areas, shipped_presets
from crenn.core.errors import CrennError

AREA = {
    "name": "All kinds",
    "parts": [
        {"kind": "gradient", "start": [0.5, 0.6], "end": [0.5, 0.3]},
        {"kind": "ellipse", "centre": [0.25, 0.5], "radii": [0.2, 0.1]},
        {"kind": "brush", "strokes": [{"points": [1000, 2000, 100, 50], "radius": 0.02}]},
        {"kind": "light", "low": -8, "high": -2},
        {"kind": "colour", "picks": [{"a": 0.1, "b": 0.1, "stop": -3}]},
        {"kind": "found", "what": "sky"},
    ],
    "bends": {"exposure.ev": -0.5},
}
DOCUMENT = {"format": "crenn-areas", "version": 1, "areas": [AREA]}


class Reading(unittest.TestCase):
    def refused(self, document: object) -> str:
        with self.assertRaises(CrennError) as caught:
            read_areas(document)
        return str(caught.exception)

    def test_what_is_written_reads_as_it_was(self):
        found = read_areas(DOCUMENT)
        self.assertEqual(read_areas(found.model_dump(mode="json")), found)

    def test_what_are_no_areas_is_said(self):
        for document in (None, [], "areas", {}, {"format": "crenn-treatment"}, {"areas": [AREA]}):
            with self.subTest(document=str(document)[:30]):
                self.assertIn("no areas", self.refused(document))

    def test_what_cannot_be_is_named(self):
        def changed(**area) -> dict:
            return copy.deepcopy(DOCUMENT) | {"areas": [AREA | area]}

        self.assertIn("exposure.glow", self.refused(changed(bends={"exposure.glow": 1})))
        self.assertIn("not 99", self.refused(changed(bends={"exposure.ev": 99})))
        self.assertIn("parts", self.refused(changed(parts=[AREA["parts"][0]] * 1000)))
        self.assertIn("what", self.refused(changed(parts=[{"kind": "found", "what": "faces"}])))
        self.assertIn("areas", self.refused(DOCUMENT | {"areas": []}))
        self.assertIn("scene", self.refused(DOCUMENT | {"scene": [0, 1]}))
        self.assertIn("version", self.refused(DOCUMENT | {"version": 2}))


class Adapting(unittest.TestCase):
    def test_in_a_scene_of_the_same_sides_nothing_moves(self):
        document = read_areas(DOCUMENT)
        self.assertEqual(adapted(document, (1.0, 2 / 3)), document.areas)

    def test_places_keep_their_share_of_each_side(self):
        gradient, ellipse, brush, light, colour, sky = adapted(read_areas(DOCUMENT), (2 / 3, 1.0))[0].parts
        np.testing.assert_allclose([gradient.start, gradient.end], [[0.3333, 0.9], [0.3333, 0.45]], atol=1e-4)
        np.testing.assert_allclose([*ellipse.centre, *ellipse.radii], [0.16667, 0.75, 0.13333, 0.15], atol=1e-4)
        np.testing.assert_allclose(brush.strokes[0].places()[0] * 16384, [667, 3000], atol=1)
        kept = read_areas(DOCUMENT).areas[0].parts
        self.assertEqual([light, colour, sky], kept[3:])

    def test_a_turned_ellipse_keeps_its_size(self):
        turned = copy.deepcopy(DOCUMENT)
        turned["areas"][0]["parts"] = [AREA["parts"][1] | {"angle": 30}]
        radii = adapted(read_areas(turned), (2 / 3, 1.0))[0].parts[0].radii
        self.assertAlmostEqual(radii[0] * radii[1], 0.2 * 0.1, places=6)


class Shipped(unittest.TestCase):
    def test_each_can_be_used_and_bends_something(self):
        found = shipped_presets()
        self.assertGreaterEqual(len(found), 4)
        for name, document in found.items():
            with self.subTest(preset=name):
                self.assertIsInstance(document, AreasDocument)
                self.assertTrue(all(area.bends for area in document.areas))
