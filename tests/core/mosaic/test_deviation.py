"""Back from the compressive scale, against the same written out."""

import unittest

import numpy as np

from crenn.core.mosaic.demosaic import demosaic
from crenn.core.mosaic.deviation import to_linear
from tests.support import RGGB

MATRIX = np.array([[1.4, -0.3, -0.1], [-0.2, 1.3, -0.1], [0.05, -0.4, 1.35]], np.float32)
SCALE = np.float32(0.01)
#: A site enters its own colour alone, whole.
WHOLE = np.zeros((2, 2, 3, 6), np.float32)
WHOLE[:, :, range(3), range(3)] = 1


class Linear(unittest.TestCase):
    def back(self, light: np.ndarray, variance: np.ndarray, table: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
        rgb = np.arcsinh(light / SCALE).astype(np.float32)
        sigma = to_linear(rgb, variance, RGGB, SCALE, MATRIX, table)
        return rgb, sigma

    def test_light_goes_through_the_matrix_whatever_the_sides(self):
        rng = np.random.default_rng(6)
        for size in ((16, 16), (17, 20), (18, 23), (21, 1051)):
            with self.subTest(size=size):
                light = rng.uniform(-0.01, 2, (*size, 3)).astype(np.float32)
                variance = np.full(size, 1e-6, np.float32)
                rgb, sigma = self.back(light, variance, WHOLE)
                np.testing.assert_allclose(rgb, light @ MATRIX.T, atol=2e-5)
                self.assertTrue((np.isfinite(sigma) & (sigma > 0)).all())

    def test_sites_that_each_tell_one_colour_have_their_noise_brought_through_the_matrix(self):
        light = np.broadcast_to(np.array([0.2, 0.1, 0.05], np.float32), (24, 40, 3))
        of_site = np.array([4e-6, 1e-6, 9e-6], np.float32)
        y, x = np.mgrid[:24, :40]
        _, sigma = self.back(light, of_site[RGGB[y & 1, x & 1]], WHOLE)
        # Variances are those on the compressive scale's terms: its slope there and back cancels.
        np.testing.assert_allclose(sigma, np.broadcast_to(np.sqrt(of_site @ (MATRIX**2).T), sigma.shape), rtol=1e-3)

    def test_a_lamp_is_told_its_own_noise(self):
        light = np.full((40, 40), 0.01, np.float32)
        variance = np.full((40, 40), 1e-7, np.float32)
        light[20:22, 20:22], variance[20:22, 20:22] = 1.0, 1e-4
        _, sigma = demosaic(light, variance, RGGB, np.eye(3, dtype=np.float32))
        np.testing.assert_allclose(sigma[20:22, 20:22, 1].mean(), 1e-2, rtol=0.3)
        np.testing.assert_allclose(sigma[5:10, 5:10, 1].mean(), np.sqrt(1e-7), rtol=0.4)
