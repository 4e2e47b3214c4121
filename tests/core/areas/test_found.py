"""Sky, ground, water, lamps and stars, in small scenes of which it is known where they are."""

import unittest

import cv2
import numpy as np

from crenn.core.areas.found.part import Found
from crenn.core.radiance import RadianceMap
from crenn.core.render.pyramid import PreparedScene
from crenn.core.render.renderer import Renderer
from crenn.core.render.view import View
from crenn.core.render.window import Window

HEIGHT, WIDTH = 600, 900


def textured(seed: int, around: tuple[float, float, float]) -> np.ndarray:
    """A rough surface, float32 (HEIGHT, WIDTH, 3)."""
    rng = np.random.default_rng(seed)
    rough = cv2.GaussianBlur(rng.standard_normal((HEIGHT, WIDTH)).astype(np.float32), (0, 0), 1.2)
    return np.asarray(np.float32(around) * np.exp2(1.4 * rough / rough.std())[..., None] * 0.8, np.float32)


def skyline() -> np.ndarray:
    """Row at which the ground begins, by column: hills, a house, a tower and a chimney."""
    x = np.arange(WIDTH)
    ends = 330 + 40 * np.sin(x / 90) + 20 * np.sin(x / 37)
    ends[300:420] = 220
    ends[330:345] = 190
    ends[600:640] = 120
    return ends


def graded(low: tuple[float, float, float], high: tuple[float, float, float]) -> np.ndarray:
    """A sky, from its colour above to that at the horizon, float32 (HEIGHT, WIDTH, 3)."""
    t = np.linspace(0, 1, HEIGHT, dtype=np.float32)[:, None, None]
    return np.broadcast_to(np.float32(high) * (1 - t) + np.float32(low) * t, (HEIGHT, WIDTH, 3)).copy()


def found(rgb: np.ndarray, what: str, **planes) -> np.ndarray:
    """What is found in a scene, float32 (HEIGHT, WIDTH), as the lens would have drawn it."""
    soft = cv2.GaussianBlur(rgb, (0, 0), 0.6)
    renderer = Renderer(PreparedScene.from_radiance(RadianceMap(soft, soft * 0.02, **planes)))
    return renderer.share(Found(what=what), View.of_scene(renderer.scene, Window.whole(rgb.shape[:2])))


class Skies(unittest.TestCase):
    def assert_found(self, mask: np.ndarray, sky: np.ndarray, right: float = 0.99):
        self.assertGreater(((mask > 0.5) == sky).mean(), right)
        edge = cv2.morphologyEx(sky.astype(np.uint8), cv2.MORPH_GRADIENT, np.ones((3, 3), np.uint8)) > 0
        own = cv2.morphologyEx((mask > 0.5).astype(np.uint8), cv2.MORPH_GRADIENT, np.ones((3, 3), np.uint8))
        away = cv2.distanceTransform(1 - own, cv2.DIST_L2, 5)
        self.assertGreater((away[edge] <= 2).mean(), 0.95)

    def setUp(self):
        self.sky = np.arange(HEIGHT)[:, None] < skyline()[None]

    def over(self, sky: np.ndarray, ground: np.ndarray) -> np.ndarray:
        return np.where(self.sky[..., None], sky, ground)

    def test_a_blue_hour_over_lit_houses(self):
        rgb = self.over(graded((0.09, 0.08, 0.12), (0.03, 0.05, 0.16)), textured(1, (0.4, 0.2, 0.08)))
        self.assert_found(found(rgb, "sky"), self.sky)

    def test_dark_hills_before_a_sky_of_stars(self):
        sky = graded((0.02, 0.02, 0.022), (0.01, 0.011, 0.014))
        rng = np.random.default_rng(3)
        for y, x in rng.integers(0, (HEIGHT, WIDTH), (600, 2)):
            sky[y, x] += 0.6
        rgb = self.over(sky, textured(2, (0.002, 0.002, 0.002)))
        mask = found(rgb, "sky")
        self.assert_found(mask, self.sky)
        stars = found(rgb, "stars")
        self.assertGreater(stars[self.sky].mean(), 0.005)
        below = cv2.erode((~self.sky).astype(np.uint8), np.ones((13, 13), np.uint8)) > 0
        self.assertEqual(float(stars[below].max()), 0.0)

    def test_ground_is_all_but_the_sky(self):
        rgb = self.over(graded((0.3, 0.2, 0.12), (0.1, 0.12, 0.2)), textured(4, (0.01, 0.012, 0.01)))
        np.testing.assert_allclose(found(rgb, "ground"), 1 - found(rgb, "sky"), atol=1e-6)

    def test_clouds_belong_to_the_sky(self):
        rng = np.random.default_rng(5)
        clouds = cv2.GaussianBlur(rng.standard_normal((HEIGHT, WIDTH)).astype(np.float32), (0, 0), 40)
        sky = graded((0.3, 0.3, 0.33), (0.12, 0.16, 0.3)) * np.exp2(0.7 * clouds / clouds.std())[..., None]
        rgb = self.over(sky, textured(6, (0.02, 0.018, 0.015)))
        self.assert_found(found(rgb, "sky"), self.sky)

    def test_panes_of_a_room_show_the_sky_and_a_lampshade_does_not(self):
        rgb = textured(7, (0.004, 0.003, 0.002))
        sky = np.zeros((HEIGHT, WIDTH), bool)
        for left in (300, 380, 460):
            sky[180:280, left : left + 70] = True
        rgb[sky] = (0.5, 0.6, 0.8)
        rgb[60:80, 600:620] = (1.4, 0.9, 0.4)
        self.assert_found(found(rgb, "sky"), sky)

    def test_where_there_is_none_nothing_is_found(self):
        self.assertEqual(float(found(textured(8, (0.1, 0.1, 0.1)), "sky").max()), 0.0)
        self.assertEqual(float(found(textured(8, (0.1, 0.1, 0.1)), "stars").max()), 0.0)

    def test_the_ground_of_a_stack_tells_where_light_does_not(self):
        """Fog: the ground fades into the sky."""
        fog = graded((0.2, 0.2, 0.2), (0.2, 0.2, 0.21))
        ground = np.where(self.sky, 0, 255).astype(np.uint8)
        rgb = self.over(fog, fog * 0.93)
        self.assert_found(found(rgb, "sky", ground=ground), self.sky, 0.985)


class Waters(unittest.TestCase):
    def test_it_is_found_where_it_mirrors_what_stands_above(self):
        sky = np.arange(HEIGHT)[:, None] < skyline()[None] - 60
        land = np.where(sky[..., None], graded((0.1, 0.09, 0.12), (0.03, 0.05, 0.16)), textured(1, (0.2, 0.1, 0.05)))
        horizon = 330
        mirrored = land[np.clip(2 * horizon - np.arange(HEIGHT), 0, HEIGHT - 1)]
        rgb = land.copy()
        quay = horizon + 30
        rgb[quay:] = cv2.GaussianBlur(mirrored, (0, 0), sigmaX=1.0, sigmaY=12.0)[quay:] * 0.5
        mask = found(rgb, "water")
        self.assertGreater(float((mask[quay + 40 :] > 0.5).mean()), 0.8)
        self.assertLess(float((mask[: horizon - 10] > 0.5).mean()), 0.01)

    def test_where_nothing_is_mirrored_there_is_none(self):
        self.assertEqual(float(found(textured(9, (0.1, 0.1, 0.1)), "water").max()), 0.0)


class Lamps(unittest.TestCase):
    def test_each_fades_from_its_core_to_where_its_glare_ends(self):
        rgb = textured(10, (0.003, 0.003, 0.003))
        y, x = np.mgrid[:HEIGHT, :WIDTH]
        away = np.hypot(y - 200, x - 300)
        rgb += (4.0 * (away < 5) + 0.3 / (1 + (away / 4) ** 3))[..., None].astype(np.float32)
        mask = found(rgb, "lamps")
        self.assertEqual(float(mask[200, 300]), 1.0)
        self.assertEqual(float(mask[away > 120].max()), 0.0)
        ring = [float(mask[200, 300 + d]) for d in range(0, 60, 5)]
        self.assertTrue((np.diff(ring) <= 1e-6).all())
