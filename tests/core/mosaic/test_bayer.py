"""The sites of a mosaic, and what its raw numbers mean."""

import unittest

import numpy as np

from crenn.core.mosaic.bayer import even, half_colour, sites
from crenn.core.mosaic.levels import Levels

PATTERNS = {
    "RGGB": [[0, 1], [1, 2]],
    "BGGR": [[2, 1], [1, 0]],
    "GRBG": [[1, 0], [2, 1]],
    "GBRG": [[1, 2], [0, 1]],
}
BLACK, WHITE = np.array([512, 500, 520], np.float32), 16383.0


def mosaic_of(colour, pattern: np.ndarray, height: int, width: int) -> np.ndarray:
    """An even mosaic of camera colours, saturation at 1."""
    out = np.empty((height, width), np.uint16)
    for row in range(2):
        for column in range(2):
            c = pattern[row, column]
            out[row::2, column::2] = round(BLACK[c] + colour[c] * (WHITE - BLACK[c]))
    return out


class Sites(unittest.TestCase):
    def test_every_site_is_named_once(self):
        for name, rows in PATTERNS.items():
            pattern = np.array(rows, np.uint8)
            seen = np.full((6, 8), 9, np.uint8)
            for colour, where in sites(pattern):
                self.assertTrue((seen[where] == 9).all(), name)
                seen[where] = colour
            np.testing.assert_array_equal(seen, np.tile(pattern, (3, 4)))

    def test_odd_edges_are_left_out(self):
        mosaic = np.arange(7 * 9).reshape(7, 9)
        self.assertEqual(mosaic[even(mosaic.shape)].shape, (6, 8))
        self.assertEqual(mosaic[even((6, 8))].shape, (6, 8))


class HalfColour(unittest.TestCase):
    def test_camera_colours_come_back_in_every_pattern(self):
        for name, rows in PATTERNS.items():
            pattern = np.array(rows, np.uint8)
            got = half_colour(mosaic_of((0.5, 0.25, 0.8), pattern, 21, 34), pattern, BLACK, WHITE)
            self.assertEqual((got.shape, got.dtype), ((10, 17, 3), np.dtype(np.float32)))
            np.testing.assert_allclose(got, np.broadcast_to((0.5, 0.25, 0.8), got.shape), atol=4e-5, err_msg=name)

    def test_the_two_greens_are_averaged(self):
        pattern = np.array(PATTERNS["RGGB"], np.uint8)
        mosaic = mosaic_of((0, 0.2, 0), pattern, 4, 4)
        mosaic[1::2, ::2] = round(500 + 0.4 * (WHITE - 500))
        np.testing.assert_allclose(half_colour(mosaic, pattern, BLACK, WHITE)[..., 1], 0.3, atol=4e-5)

    def test_below_black_is_negative_so_that_means_are_true(self):
        pattern = np.array(PATTERNS["RGGB"], np.uint8)
        rng = np.random.default_rng(2)
        mosaic = np.round(BLACK[1] + 6 * rng.standard_normal((400, 400))).astype(np.uint16)
        green = half_colour(mosaic, pattern, BLACK, WHITE)[..., 1]
        self.assertLess(green.min(), 0)
        self.assertAlmostEqual(float(green.mean()) * (WHITE - 500), 0.0, delta=0.1)


class Meanings(unittest.TestCase):
    def test_black_is_no_light_and_white_is_saturation(self):
        levels = Levels(BLACK, WHITE, 15800.0)
        np.testing.assert_allclose((WHITE - BLACK) * levels.scale, 1.0, rtol=1e-6)
        np.testing.assert_allclose((levels.clip - BLACK) * levels.scale, levels.clip_light, rtol=1e-6)
        self.assertTrue((levels.clip_light < 1).all())
        self.assertEqual(levels.scale.dtype, np.float32)
