"""Masks drawn to the picture's edges, and softened: against where the edge is, and the error function."""

import math
import unittest

import numpy as np

from crenn.core.areas.appearance import appearance_features
from crenn.core.areas.refine import refined
from crenn.core.radiance import RadianceMap
from crenn.core.render.pyramid import PreparedScene
from crenn.core.render.renderer import Renderer
from crenn.core.render.window import Window
from crenn.core.treatment import parse_treatment


def skyline(height: int = 300, width: int = 400) -> tuple[np.ndarray, np.ndarray]:
    """A bright sky over a dark, stepped skyline, and where the sky is."""
    ends = 150 + 30 * np.sign(np.sin(np.arange(width) / 25))
    sky = np.arange(height)[:, None] < ends[None]
    rgb = np.where(sky[..., None], np.float32([0.2, 0.25, 0.4]), np.float32([0.03, 0.02, 0.015]))
    noise = np.random.default_rng(2).standard_normal(rgb.shape)
    return (rgb * (1 + 0.03 * noise)).astype(np.float32), sky


class Refining(unittest.TestCase):
    def test_an_edge_within_reach_is_drawn_to_the_picture_s_own(self):
        rgb, sky = skyline()
        rough = (np.arange(300)[:, None] < 150).astype(np.float32).repeat(400, 1)
        self.assertGreater((np.abs(rough - sky) > 0.5).mean(), 0.08)
        mask = refined(rough, appearance_features(rgb, 1e-3), 60.0)
        self.assertLess(((mask > 0.5) != sky).mean(), 0.01)
        far = np.abs(np.arange(300) - 150) > 100
        np.testing.assert_allclose(mask[far], sky[far], atol=0.06)

    def test_even_light_leaves_a_mask_a_mean_of_itself(self):
        rough = (np.arange(100)[:, None] < 50).astype(np.float32).repeat(100, 1)
        mask = refined(rough, appearance_features(np.full((100, 100, 3), 0.2, np.float32), 1e-3), 6.0)
        np.testing.assert_allclose(mask[:20], 1, atol=0.01)
        np.testing.assert_allclose(mask[80:], 0, atol=0.01)
        self.assertTrue((np.diff(mask[:, 50]) <= 1e-5).all())

    def test_less_than_half_a_pixel_draws_nothing(self):
        rgb, sky = skyline()
        np.testing.assert_array_equal(refined(sky.astype(np.float32), appearance_features(rgb, 1e-3), 0.4), sky)


class InThePicture(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.rgb, cls.sky = skyline()
        cls.renderer = Renderer(PreparedScene.from_radiance(RadianceMap(cls.rgb, None)))

    def mask(self, window: Window | None = None, **about) -> np.ndarray:
        part = {"kind": "gradient", "start": [0.5, 0.374], "end": [0.5, 0.376]} | about
        treatment = parse_treatment({"areas": [{"parts": [part]}]})
        whole = Window.whole(self.rgb.shape[:2])
        return self.renderer.mask(treatment.areas[0], self.renderer.view(treatment, window or whole)) / 65535.0

    def test_a_softened_step_is_the_error_function(self):
        """A step at 0.375 of 400 px, blurred by 2 % of 400 px."""
        mask = self.mask(soften=2.0)[:, 200]
        rows = np.arange(300) + 0.5
        wanted = [0.5 * math.erfc((row - 150) / (8 * math.sqrt(2))) for row in rows]
        np.testing.assert_allclose(mask, wanted, atol=0.02)

    def test_windows_of_softened_and_refined_parts_are_cut_from_the_whole(self):
        window = Window(96, 112, 160, 96, 160, 96)
        for about in ({"soften": 1.5}, {"refine": 30}, {"soften": 0.7, "refine": 20}):
            with self.subTest(**about):
                whole = self.mask(**about)[112:208, 96:256]
                np.testing.assert_allclose(self.mask(window, **about), whole, atol=0.01)

    def test_a_reduced_view_shows_the_full_mask_averaged(self):
        small = Window(0, 0, 400, 300, 200, 150)
        for about in ({"soften": 1.5}, {"refine": 30}):
            averaged = self.mask(**about).reshape(150, 2, 200, 2).mean((1, 3))
            with self.subTest(**about):
                self.assertLess(float(np.abs(self.mask(small, **about) - averaged).mean()), 0.01)
