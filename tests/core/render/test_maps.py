"""Maps: stops and noise as greys with lines, and colours exaggerated."""

import unittest

import numpy as np

from crenn.core.colorimetry.stops import stops_of
from crenn.core.radiance import RadianceMap
from crenn.core.render.maps import draw_map, exaggerated
from crenn.core.render.pyramid import PreparedScene
from crenn.core.render.renderer import Renderer
from crenn.core.render.views import paint_view
from crenn.core.render.window import Window
from crenn.core.treatment import parse_treatment
from tests.support import ramp


class Lines(unittest.TestCase):
    def test_each_step_has_its_own_grey_with_a_line_between(self):
        values = np.repeat(np.arange(6.0, dtype=np.float32) + 0.5, 80)[None, :].repeat(120, 0)
        codes = np.full((120, 480, 3), 90, np.uint8)
        draw_map(codes, values, 1.0, " EV")
        # Beside the labels, which stand in the middle of each step.
        greys = codes[20, 10::80].mean(-1)
        self.assertTrue((np.diff(greys) > 20).all())
        edge = codes[20, 76:84].astype(int).max(-1)
        self.assertGreater(np.ptp(edge), 60)
        self.assertTrue((codes[..., 0] == codes[..., 1]).mean() > 0.9)

    def test_steps_are_labelled_where_there_is_room(self):
        wide = np.repeat(np.array([0.5, 1.5], np.float32), 100)[None, :].repeat(100, 0)
        narrow = np.repeat(np.array([0.5, 1.5], np.float32), 8)[None, :].repeat(16, 0)

        def inked(values: np.ndarray) -> int:
            codes = np.full((*values.shape, 3), 90, np.uint8)
            draw_map(codes, values, 1.0, " EV")
            return len(np.unique(codes[:, : values.shape[1] // 2 - 6]))

        self.assertGreater(inked(wide), 2)
        self.assertEqual(inked(narrow), 1)

    def test_places_of_no_value_are_dark(self):
        values = np.full((60, 60), 2.5, np.float32)
        values[:, :20] = np.nan
        codes = np.full((60, 60, 3), 200, np.uint8)
        draw_map(codes, values, 1.0, " dB")
        self.assertLess(codes[:, :15].max(), 30)
        nothing = np.full((20, 20, 3), 77, np.uint8)
        draw_map(nothing, np.full((20, 20), np.nan, np.float32), 1.0, "")
        self.assertTrue((nothing == 77).all())

    def test_stops_are_of_light_and_end_at_the_floor(self):
        light = np.full((2, 2, 3), 0.25, np.float32)
        light[1] = 0
        np.testing.assert_allclose(stops_of(light, 2.0**-10), [[-2, -2], [-10, -10]], atol=1e-5)


class Cast(unittest.TestCase):
    def test_grey_stays_grey_and_a_cast_grows_most_in_the_dark(self):
        codes = np.array([[[120, 120, 120], [40, 40, 46], [200, 200, 206]]], np.uint8)
        before = codes.astype(int)
        exaggerated(codes)
        after = codes.astype(int)
        self.assertLess(np.ptp(after[0, 0]), 4)
        grown = [np.ptp(after[0, k]) / np.ptp(before[0, k]) for k in (1, 2)]
        self.assertGreater(grown[0], grown[1])
        self.assertGreater(grown[1], 1.5)


class Views(unittest.TestCase):
    def setUp(self):
        rgb = ramp(160, 640, -10, 1)
        self.scene = PreparedScene.from_radiance(RadianceMap(rgb, rgb * 0.02 + 1e-4))
        self.window = Window.whole(self.scene.size)

    def shown(self, view: str, **treatment) -> np.ndarray:
        return paint_view(Renderer(self.scene), parse_treatment(treatment), self.window, view)[0]

    def test_stops_do_not_depend_on_the_treatment_of_light(self):
        one, other = self.shown("stops"), self.shown("stops", exposure={"ev": 5})
        self.assertLess(np.abs(one.astype(int) - other).mean(), 3)
        # Eleven stops give as many lines along a row that no label stands on.
        jumps = np.abs(np.diff(one[4, :, 0].astype(int))) > 12
        self.assertGreater(jumps.sum(), 9)

    def test_noise_rises_with_the_light(self):
        row = self.shown("noise")[4, :, 0].astype(float)
        self.assertGreater(row[-40:].mean(), row[:40].mean() + 60)

    def test_fall_off_that_is_given_back_lifts_noise_too(self):
        plain, lifted = self.shown("noise"), self.shown("noise", lens={"falloff": 3.0})
        self.assertLess(np.abs(plain.astype(int) - lifted).mean(), 4)
