"""Measured against predicted noise: right where a place is smooth, and told where it is not."""

import unittest

import numpy as np

from crenn.core.errors import CrennError
from crenn.core.merge.merge import merge_frames
from crenn.core.noise.check import SMALLEST, check_noise
from tests.support import FolderCase, take


def white(shape=(96, 120), light: float = 0.02, deviation: float = 0.001) -> tuple[np.ndarray, np.ndarray]:
    """A slope with white noise, and its deviation by colour."""
    sigma = np.broadcast_to(np.array([1.0, 0.6, 1.4], np.float32) * deviation, (*shape, 3)).copy()
    y, x = np.mgrid[: shape[0], : shape[1]]
    slope = (light * (1 + 0.4 * x / shape[1] + 0.2 * (y / shape[0]) ** 2))[..., None]
    noise = sigma * np.random.default_rng(3).standard_normal((*shape, 3))
    return (slope + noise).astype(np.float32), sigma


class OfWhiteNoise(unittest.TestCase):
    def test_it_is_as_it_was_made_on_sloping_ground(self):
        light, sigma = white()
        found = check_noise(light, sigma)
        np.testing.assert_allclose(found.ratio, 1.0, atol=0.03)
        self.assertTrue(found.smooth)
        self.assertAlmostEqual(found.stop, float(np.log2(0.02 * 1.27)), delta=0.1)

    def test_a_prediction_that_is_off_is_told(self):
        light, sigma = white()
        np.testing.assert_allclose(check_noise(light, sigma / 2).ratio, 2.0, atol=0.06)

    def test_what_is_left_once_cleaned_is_measured_too(self):
        light, sigma = white()
        clean = light.mean((0, 1)) + 0.1 * (light - light.mean((0, 1)))
        found = check_noise(light, sigma, clean.astype(np.float32))
        np.testing.assert_allclose(found.left, 0.1 * found.measured, rtol=0.05)
        self.assertIsNone(check_noise(light, sigma).left)

    def test_texture_edges_and_stars_are_told_from_noise(self):
        light, sigma = white()
        y, x = np.mgrid[: light.shape[0], : light.shape[1]]
        waves = 0.004 * np.sin(x / 3.0) * np.sin(y / 4.0)
        edge = np.where(x > 60, 0.05, 0.0)
        star = 0.5 * np.exp(-((x - 40) ** 2 + (y - 40) ** 2) / 2)
        for name, added in (("waves", waves), ("edge", edge), ("star", star)):
            self.assertFalse(check_noise(light + added[..., None].astype(np.float32), sigma).smooth, name)

    def test_a_place_too_small_is_refused(self):
        light, sigma = white((SMALLEST, SMALLEST))
        check_noise(light, sigma)
        with self.assertRaisesRegex(CrennError, "too small"):
            check_noise(light[:, :-1], sigma[:, :-1])


class OfMergedFrames(FolderCase):
    def test_the_merge_predicts_what_is_there(self):
        stops = np.repeat([-8.0, -5.0, -1.0], 130)
        even = np.broadcast_to(np.exp2(stops)[None, :, None], (150, 390, 3)).astype(np.float32)
        merged = merge_frames(take(self.folder, even))
        for left in (10, 140, 270):
            where = np.s_[20:130, left : left + 110]
            found = check_noise(merged.rgb[where], merged.sigma[where])
            self.assertTrue(found.smooth)
            np.testing.assert_allclose(found.ratio, 1.0, atol=0.08, err_msg=f"from column {left}")
