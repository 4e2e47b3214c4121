"""Lamps are found, and automatic values do not look at them."""

import unittest

import numpy as np

from crenn.core.light.automatic import automatic_light
from crenn.core.pipeline.scene import SceneLight
from crenn.core.report.lamps import find_lamps, lamp_mask
from crenn.core.report.merging import light_statistics

HEIGHT, WIDTH = 600, 900
PLACES = [(120.5, 300.5), (700.0, 80.0), (450.0, 420.25)]


def street(peak: float = 2.0, radius: float = 4.0, seed: int = 3) -> np.ndarray:
    """A dark street of texture around stop −7, a lit wall at −3, and lamps with glare at `PLACES`."""
    random = np.random.default_rng(seed)
    stops = -7 + random.normal(0, 0.3, (HEIGHT, WIDTH))
    stops[350:, 600:] += 4
    y, x = np.mgrid[:HEIGHT, :WIDTH] + 0.5
    light = np.exp2(stops)
    for at_x, at_y in PLACES:
        away = np.hypot(x - at_x, y - at_y)
        light += np.exp2(peak) * (np.clip(radius + 0.5 - away, 0, 1) + 0.03 * np.exp(-((away / 18) ** 2)))
    return np.repeat(light[..., None], 3, -1).astype(np.float32)


def scene_light(rgb: np.ndarray) -> SceneLight:
    found = light_statistics(rgb, None, None) | {"histogram_bin": 0.125, "noise_horizon": -14.0}
    return SceneLight.from_report(found)


class Finding(unittest.TestCase):
    def test_each_is_found_where_it_is(self):
        lamps = find_lamps(street())
        self.assertEqual(len(lamps), len(PLACES))
        for x, y in PLACES:
            nearest = min(np.hypot(lamp["x"] * WIDTH - x, lamp["y"] * WIDTH - y) for lamp in lamps)
            self.assertLess(nearest, 0.6)
        for lamp in lamps:
            self.assertAlmostEqual(lamp["radius"] * WIDTH, 4.3, delta=0.6)
            self.assertAlmostEqual(lamp["stop"], 2.0, delta=0.1)
            self.assertGreater(lamp["glare"], lamp["radius"] * 1.5)

    def test_large_ones_are_found_in_a_large_picture_alike(self):
        small = find_lamps(street())
        large = find_lamps(np.repeat(np.repeat(street(), 3, 0), 3, 1))
        self.assertEqual(len(small), len(large))
        for one, other in zip(sorted(small, key=lambda v: v["x"]), sorted(large, key=lambda v: v["x"])):
            for name in ("x", "y", "radius"):
                self.assertAlmostEqual(one[name], other[name], delta=0.001)

    def test_lit_windows_are_none(self):
        light = np.exp2(np.full((HEIGHT, WIDTH), -7.0))
        light[100:110, 200:208] = 2.0**-1.5
        light[200:300, 500:620] = 2.0
        self.assertEqual(find_lamps(np.repeat(light[..., None], 3, -1).astype(np.float32)), [])

    def test_a_tube_is_none_and_a_single_pixel_is(self):
        light = np.full((HEIGHT, WIDTH, 3), 2.0**-8, np.float32)
        light[300, 400] = 4.0
        light[200:203, 100:180] = 4.0
        found = find_lamps(light)
        self.assertEqual(len(found), 1)
        self.assertAlmostEqual(found[0]["x"] * WIDTH, 400.5, delta=0.1)

    def test_black_and_tiny_pictures(self):
        self.assertEqual(find_lamps(np.zeros((50, 80, 3), np.float32)), [])
        self.assertEqual(find_lamps(np.ones((1, 1, 3), np.float32)), [])
        self.assertEqual(find_lamps(np.full((40, 2, 3), -0.5, np.float32)), [])

    def test_the_mask_holds_cores_and_little_else(self):
        rgb = street()
        mask = lamp_mask(rgb.shape[:2], find_lamps(rgb))
        self.assertTrue(mask[rgb[..., 1] > 1].all())
        self.assertLess(mask.mean(), 0.01)


class Automatic(unittest.TestCase):
    def test_lamps_change_nothing(self):
        """The street with lamps of any brightness is treated as the street without."""
        dark = automatic_light(scene_light(street(peak=-30.0)))
        for peak in (2.0, 4.0):
            with self.subTest(peak=peak):
                lit = automatic_light(scene_light(street(peak=peak)))
                for name in ("exposure", "shadows", "highlights", "contrast"):
                    self.assertAlmostEqual(getattr(lit, name), getattr(dark, name), delta=0.1, msg=name)
                self.assertAlmostEqual(lit.white, dark.white, delta=0.5)

    def test_a_report_without_lamps_reads_as_before(self):
        found = light_statistics(street(), None, None) | {"histogram_bin": 0.125}
        del found["lamps"], found["lamp_histogram"]
        light = SceneLight.from_report(found)
        self.assertEqual(light.lamps, ())
        self.assertTrue(np.array_equal(light.unlit, light.histogram))
