"""A deeper sky: where, by how much, and what is left alone."""

import unittest

import cv2
import numpy as np

from crenn.core.colorimetry.oklab import hue_and_saturation
from crenn.core.colorimetry.spaces import luminance
from crenn.core.colour.reflections import swinging
from crenn.core.colour.sky import polarised, skies
from crenn.core.pipeline.planes import PlaneContext
from tests.core.colour.charts import treated

HEIGHT, WIDTH = 300, 450
HORIZON = 150


def scene(clouds: bool = False) -> np.ndarray:
    """A blue sky, brightest low at the left, a dark shore, and water that mirrors the sky, float32 (H, W, 3)."""
    y, x = np.mgrid[:HEIGHT, :WIDTH] / np.array([HEIGHT, WIDTH])[:, None, None]
    blue = np.array([0.16, 0.28, 0.55])
    rgb = blue * (0.6 + 0.9 * np.exp(-(((x - 0.1) / 0.3) ** 2) - ((y - 0.45) / 0.3) ** 2))[..., None]
    if clouds:
        noise = np.random.default_rng(3).standard_normal((HEIGHT, WIDTH)).astype(np.float32)
        cover = np.clip(cv2.GaussianBlur(noise, (0, 0), 18) * 18, 0, 1)[..., None]
        rgb = rgb * (1 - cover) + 0.75 * cover
    rgb[HORIZON : HORIZON + 20] = (0.01, 0.012, 0.008)
    rgb[HORIZON + 20 :] = 0.5 * rgb[HORIZON - 1 : HORIZON - 131 : -1]
    return rgb.astype(np.float32)


AROUND = PlaneContext(1.0, WIDTH, 1e-4)


class Where(unittest.TestCase):
    def test_the_sky_and_not_the_water_that_mirrors_it(self):
        _, sky = skies(scene(), AROUND)
        self.assertGreater(sky[: HORIZON - 4].min(), 0.95)
        self.assertLess(sky[HORIZON + 3 :].max(), 0.02)

    def test_water_that_begins_at_a_step_of_light(self):
        rgb = scene()
        rgb[HORIZON : HORIZON + 20] = rgb[HORIZON + 20 : HORIZON + 40]
        _, sky = skies(rgb, AROUND)
        self.assertGreater(sky[: HORIZON - 4].mean(), 0.95)
        self.assertLess(sky[HORIZON + 6 :].mean(), 0.05)

    def test_a_grey_sky_is_none_of_it(self):
        rgb = np.repeat(luminance(scene())[..., None], 3, -1)
        joined, sky = skies(rgb, AROUND)
        self.assertLess(sky.max(), 0.02)
        self.assertGreater(joined[:100].mean(), 0.9)
        np.testing.assert_allclose(treated(rgb, sky={"strength": 2.0}), rgb, rtol=1e-4)


class Areas(unittest.TestCase):
    def test_an_area_is_deepened_wherever_it_lies_and_nothing_else(self):
        rgb = scene()
        below = {"kind": "gradient", "start": [0.5, 0.45], "end": [0.5, 0.38]}
        area = {"parts": [below], "bends": {"sky.strength": 1.5}}
        after = treated(rgb, areas=[area], sky={})
        darker = np.log2(luminance(after) / luminance(rgb))
        # Water on the far side from the light; the sky above is left.
        self.assertLess(darker[240:, 300:].mean(), -0.5)
        self.assertLess(np.abs(darker[:100]).max(), 0.02)

    def test_an_area_takes_the_picture_s_own_deepening_away(self):
        rgb = scene()
        part = {"kind": "gradient", "start": [0.45, 0.2], "end": [0.5, 0.2]}
        area = {"parts": [part], "bends": {"sky.strength": -1.5}}
        deep, spared = (treated(rgb, sky={"strength": 1.5}, areas=areas) for areas in ([], [area]))
        np.testing.assert_allclose(spared[:140, :190], rgb[:140, :190], rtol=0.02)
        np.testing.assert_allclose(spared[:140, 240:], deep[:140, 240:], rtol=1e-3)
        self.assertGreater(np.log2(rgb[:140, 240:] / deep[:140, 240:]).mean(), 0.3)


class Water(unittest.TestCase):
    def test_it_is_taken_wholly_at_brewster_s_angle_and_not_along_the_water(self):
        brewster = np.pi / 2 - np.arctan(1.333)
        np.testing.assert_allclose(swinging(np.array([brewster, 1e-4, -0.3, np.pi / 2])), [1, 0, 0, 0], atol=2e-3)

    def test_an_area_tells_what_is_water_and_what_is_seen_steeply_gets_darkest(self):
        rgb = np.full((300, 450, 3), 0.2, np.float32) * np.random.default_rng(1).uniform(0.9, 1.1, (300, 450, 1))
        below = {"kind": "gradient", "start": [0.5, 0.36], "end": [0.5, 0.34]}
        area = {"parts": [below], "bends": {"sky.reflections": 100}}
        after = treated(rgb.astype(np.float32), areas=[area], sky={})
        darker = -np.log2(luminance(after) / luminance(rgb)).mean(1)
        np.testing.assert_allclose(darker[:145], 0, atol=0.02)
        self.assertGreater(darker[290], darker[200] + 0.3)
        expected = 2.5 * swinging(np.arctan(np.array([(290.5 - 150) / 450])))[0]
        self.assertAlmostEqual(float(darker[290]), expected, delta=0.15)


class Filter(unittest.TestCase):
    def test_light_across_the_sun_is_taken_and_light_along_it_is_not(self):
        sky = np.ones((200, 600), np.float32)
        taken = polarised(sky.shape, (0.0, 100.0), 0.0, sky)
        self.assertLess(taken[95:105, :10].max(), 0.02)
        self.assertAlmostEqual(float(taken.max()), 1.0, delta=0.02)
        self.assertTrue((np.diff(taken[100]) > 0).all())

    def test_turned_by_a_right_angle_it_takes_next_to_nothing(self):
        sky = np.ones((200, 600), np.float32)
        there, turned = (polarised(sky.shape, (0.0, 100.0), turn, sky) for turn in (0.0, 90.0))
        self.assertLess(turned[100, 300:].max(), 0.05 * there[100, 300:].max())


class Deepened(unittest.TestCase):
    def test_darker_and_purer_far_from_the_light(self):
        rgb = scene()
        after = treated(rgb, sky={"strength": 1.0})
        ev = np.log2(luminance(after) / luminance(rgb))
        self.assertLess(ev[20, -20], -0.7)
        self.assertGreater(ev[HORIZON - 20, 45], -0.15)
        self.assertGreater(hue_and_saturation(after)[1][20, -20], 1.1 * hue_and_saturation(rgb)[1][20, -20])
        self.assertLess(np.abs(ev[HORIZON + 25 :]).max(), 0.02)

    def test_purity_is_a_dial_of_its_own(self):
        rgb = scene()
        ev = [np.log2(luminance(treated(rgb, sky={"strength": 1, "purity": p})) / luminance(rgb)) for p in (0, 200)]
        np.testing.assert_allclose(*ev, atol=0.25)
        after = treated(rgb, sky={"strength": 1, "purity": 0})
        np.testing.assert_allclose(hue_and_saturation(after)[1][20], hue_and_saturation(rgb)[1][20], rtol=0.01)

    def test_no_blotches_at_the_edges_of_clouds(self):
        """What is taken never varies faster than the clouds' own light does."""
        rgb = scene(clouds=True)
        ev = np.log2(luminance(treated(rgb, sky={"strength": 1.5})) / luminance(rgb))[: HORIZON - 6]
        own = np.log2(luminance(rgb))[: HORIZON - 6]
        clouds = rgb[: HORIZON - 6].min(-1) / rgb[: HORIZON - 6].max(-1) > 0.98
        self.assertGreater(np.quantile(ev[clouds], 0.05), -0.2)
        slope, its_own = (np.abs(np.diff(v, axis=1)) for v in (ev, own))
        self.assertLess(slope.max(), its_own.max())
        # Blue between clouds is as deep as blue beside it: the darkest tenth hardly varies from row to row.
        self.assertLess(np.abs(np.diff(np.quantile(ev[:, 250:], 0.1, axis=1))).max(), 0.1)


if __name__ == "__main__":
    unittest.main()
