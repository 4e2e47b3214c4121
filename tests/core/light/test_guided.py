"""Means of blocks, means about a place, and what departs from a base that keeps edges."""

import unittest

import numpy as np

from crenn.core.colorimetry.spaces import LUMINANCE
from crenn.core.colorimetry.stops import shares_of, stops_of
from crenn.core.light.guided import departing, factor_for, mean_about, reduced
from crenn.core.pipeline.planes import LATTICE, PlaneContext


def uneven(height: int = 90, width: int = 130) -> np.ndarray:
    return np.random.default_rng(7).uniform(-6, 0, (height, width)).astype(np.float32)


class Means(unittest.TestCase):
    def test_blocks_and_edges_repeated_to_whole_ones(self):
        values = uneven(37, 50)
        for factor in (2, 8):
            padded = np.pad(values, ((0, -37 % factor), (0, -50 % factor)), "edge")
            rows, columns = (n // factor for n in padded.shape)
            blocks = padded.reshape(rows, factor, columns, factor)
            mean, squares = reduced(values, factor)
            np.testing.assert_allclose(mean, blocks.mean((1, 3)), rtol=1e-5)
            np.testing.assert_allclose(squares, (blocks**2).mean((1, 3)), rtol=1e-5)

    def test_factors_are_powers_of_two_that_bands_share(self):
        found = [factor_for(sigma) for sigma in (0.5, 4.9, 5.0, 11.0, 40.0, 500.0)]
        self.assertEqual(found, [1, 1, 2, 4, 16, LATTICE])

    def test_a_mean_about_a_place_is_nearly_the_same_at_a_reduced_size(self):
        y, x = np.mgrid[:200, :300]
        values = np.sin(x / 40.0) * np.cos(y / 50.0).astype(np.float32)
        # A Gaussian keeps a wave up to a factor that its length tells.
        kept = np.exp(-0.5 * 100 * (1 / 40**2 + 1 / 50**2))
        found = mean_about(values.astype(np.float32), 10.0)
        np.testing.assert_allclose(found[60:-60, 60:-60], kept * values[60:-60, 60:-60], atol=0.01)


class Departing(unittest.TestCase):
    AROUND = PlaneContext(1.0, 1000, 1e-4)

    def test_what_is_even_departs_by_nothing(self):
        self.assertLess(np.abs(departing(np.full((80, 120), -3, np.float32), 1.0, 0.5, self.AROUND)).max(), 1e-5)

    def test_an_edge_stays_in_the_base_and_texture_departs(self):
        for deviation in (0.2, 1.0):
            step = np.where(np.arange(160) < 80, -8.0, -2.0) * np.ones((120, 1))
            texture = 0.1 * np.sign(np.sin(np.arange(160) * 2.0)) * np.ones((120, 1))
            with self.subTest(deviation=deviation):
                edge = departing(step.astype(np.float32), deviation, 0.5, self.AROUND)
                # A slope of just under one is what keeps it: a twentieth of the six stops at most.
                self.assertLess(np.abs(edge).max(), 0.3)
                fine = departing(texture.astype(np.float32), deviation, 0.5, self.AROUND)
                self.assertGreater(fine[40:80, 40:120].std(), 0.08)

    def test_too_small_to_be_seen_is_nothing(self):
        self.assertFalse(departing(uneven(), 0.02, 0.5, PlaneContext(1.0, 1000, 1e-4)).any())


class Stops(unittest.TestCase):
    def test_stops_and_shares_are_logarithms(self):
        rgb = np.exp2(np.random.default_rng(2).uniform(-12, 2, (40, 60, 3))).astype(np.float32)
        light = rgb @ LUMINANCE
        np.testing.assert_allclose(stops_of(rgb, 2.0**-20), np.log2(light), atol=1e-5)
        stops, shares = shares_of(rgb, 2.0**-20)
        np.testing.assert_array_equal(stops, stops_of(rgb, 2.0**-20))
        wanted = np.log2(np.maximum(rgb / light[..., None], 0.005)).transpose(2, 0, 1)
        np.testing.assert_allclose(shares, wanted, atol=1e-5)

    def test_below_the_floor_it_is_the_floor(self):
        dark = np.array([[[-0.1, 0.0, 0.0], [1e-9, 1e-9, 1e-9]]], np.float32)
        np.testing.assert_allclose(stops_of(dark, 2.0**-10), -10, atol=1e-5)
        self.assertTrue(np.isfinite(stops_of(dark, 0.0)).all())
