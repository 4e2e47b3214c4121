"""Colours beyond the working space come into it; all others, and the noise about any, stay what they are."""

import unittest

import numpy as np

from crenn.core.colorimetry.gamut import bring_into_gamut, compressed_distance
from crenn.core.colorimetry.spaces import REC2020_TO_SRGB, luminance

SIZE = (64, 96)


def field(colour, sigma: float = 0.0, seed: int = 1) -> tuple[np.ndarray, np.ndarray]:
    """Light of one colour with noise, and its deviations, float32 (H, W, 3) both."""
    rng = np.random.default_rng(seed)
    # Colours that are rebuilt from a mosaic share much of their noise.
    noise = sigma * (np.sqrt(0.25) * rng.standard_normal((*SIZE, 3)) + np.sqrt(0.75) * rng.standard_normal((*SIZE, 1)))
    return (np.array(colour) + noise).astype(np.float32), np.full((*SIZE, 3), max(sigma, 1e-6), np.float32)


class Curve(unittest.TestCase):
    def test_the_published_limits_come_to_the_border(self):
        np.testing.assert_allclose(compressed_distance(np.array([1.147, 1.264, 1.312])), 1.0, atol=1e-6)

    def test_it_rises_and_leaves_what_is_well_inside(self):
        distance = np.repeat(np.linspace(0, 3, 301)[:, None], 3, 1)
        found = compressed_distance(distance)
        self.assertTrue((np.diff(found, axis=0) > 0).all())
        np.testing.assert_array_equal(found[:80], distance[:80])


class Into(unittest.TestCase):
    def test_ordinary_colours_stay_to_the_last_bit(self):
        for colour in ((0.2, 0.2, 0.2), (0.5, 0.3, 0.12), (0.1, 0.2, 0.5), (1.0, 0.3, 0.01), (0.0, 0.0, 0.0)):
            rgb, sigma = field(colour, 0.01)
            before = rgb.copy(), sigma.copy()
            self.assertEqual(bring_into_gamut(rgb, sigma), 0.0)
            np.testing.assert_array_equal(rgb, before[0])
            np.testing.assert_array_equal(sigma, before[1])

    def test_a_blue_that_is_no_light_gets_a_luminance(self):
        rgb, sigma = field((-0.04, -0.02, 1.0))
        self.assertLess(float(luminance(rgb).max()), 0.04)
        self.assertEqual(bring_into_gamut(rgb, sigma), 1.0)
        self.assertGreater(float(rgb.min()), 0.0)
        self.assertGreater(float(luminance(rgb).min()), 0.06)
        # A deep blue, as a screen shows it.
        shown = rgb[0, 0] @ REC2020_TO_SRGB.T
        np.testing.assert_allclose(shown / shown[2], [0.0, 0.0, 1.0], atol=0.1)

    def test_noise_stays_noise_about_the_colour_and_is_predicted(self):
        quiet, _ = field((-0.04, -0.02, 1.0))
        bring_into_gamut(quiet, np.full_like(quiet, 1e-6))
        rgb, sigma = field((-0.04, -0.02, 1.0), 0.05)
        bring_into_gamut(rgb, sigma)
        np.testing.assert_allclose(rgb.mean((0, 1)), quiet[0, 0], atol=0.025)
        spread = (rgb - rgb.mean((0, 1))) / sigma
        np.testing.assert_allclose(spread.std((0, 1)), 1.0, atol=0.08)

    def test_noise_in_the_dark_is_no_colour(self):
        rgb, sigma = field((0.0, 0.0, 0.0), 0.01)
        before = rgb.copy()
        self.assertEqual(bring_into_gamut(rgb, sigma), 0.0)
        np.testing.assert_array_equal(rgb, before)

    def test_an_edge_gets_no_darker_rim(self):
        rgb, sigma = field((-0.04, -0.02, 1.0))
        rgb[:, 50:] = 0.3
        bring_into_gamut(rgb, sigma)
        inside, outside = luminance(rgb[:, :50]), luminance(rgb[:, 50:])
        self.assertLess(float(np.ptp(inside)), 0.01)
        np.testing.assert_allclose(outside, 0.3, atol=1e-5)


if __name__ == "__main__":
    unittest.main()
