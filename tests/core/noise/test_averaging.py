"""What is left of noise in smaller pictures: rebuilt colour shares it, white noise does not."""

import unittest

import numpy as np

from crenn.core.mosaic.demosaic import interpolate
from crenn.core.noise.averaging import FACTORS, left_when_averaged, reduced, shares_of_bands
from crenn.core.noise.bands import bands_of
from crenn.core.pipeline.scene import Capture

RAW = Capture(mosaic="RGGB")


class Averaging(unittest.TestCase):
    def test_at_full_size_all_is_left(self):
        for capture in (RAW, Capture(developed=True)):
            self.assertEqual(left_when_averaged(capture, 1), 1.0)
            self.assertEqual(left_when_averaged(capture, 0.5), 1.0)

    def test_of_white_noise_the_square_root_of_the_pixels_is_gained(self):
        for factor in (2, 3, 8):
            self.assertAlmostEqual(left_when_averaged(Capture(developed=True), factor), 1 / factor)

    def test_of_rebuilt_colour_less_is_gained_as_on_a_mosaic_of_noise(self):
        noise = np.random.default_rng(7).standard_normal((256, 320)).astype(np.float32)
        pattern = np.array([[0, 1], [1, 2]], np.uint8)
        grey = interpolate(noise, pattern, np.full(noise.shape, 1e6, np.float32)) @ np.array([0.2627, 0.678, 0.0593])
        for factor in (2, 4, 8):
            measured = reduced(np.ascontiguousarray(grey, np.float32), factor).std() / grey.std()
            self.assertAlmostEqual(left_when_averaged(RAW, factor) / measured, 1.0, delta=0.08)
            self.assertGreater(left_when_averaged(RAW, factor), 1.1 / factor)

    def test_it_falls_all_the_way(self):
        left = [left_when_averaged(RAW, factor) for factor in (1, 2, 4, 8, 16, 40, 200)]
        self.assertEqual(left, sorted(left, reverse=True))
        self.assertAlmostEqual(left[-1] * 200, left[-3] * 16, delta=1e-6)


class Bands(unittest.TestCase):
    def test_they_are_all_there_is(self):
        planes = np.random.default_rng(1).standard_normal((60, 70)).astype(np.float32)
        np.testing.assert_allclose(sum(bands_of(planes, 1.0)), planes, atol=1e-6)

    def test_most_noise_of_single_pixels_is_fine_and_less_in_smaller_pictures(self):
        fine = [shares_of_bands(RAW, factor)[0] for factor in FACTORS]
        self.assertGreater(fine[0], 0.8)
        self.assertEqual(fine, sorted(fine, reverse=True))
        for factor in FACTORS:
            self.assertAlmostEqual(shares_of_bands(RAW, factor).sum(), 1.0)
