"""Colours of files that bring matrices for two lights, and forward ones."""

import unittest
from types import SimpleNamespace

import numpy as np

from crenn.camera.sensor import Exposure, Sensor
from crenn.core.colorimetry.spaces import D65_XY, XYZ_TO_REC2020, adaptation_matrix, xy_to_xyz
from crenn.core.colorimetry.white import white_xy
from crenn.core.frames.dng_colour import dng_colour
from crenn.core.frames.raw import read_raw
from tests.support import FolderCase, night, take

DAYLIGHT = np.array([[0.66, -0.18, -0.05], [-0.52, 1.30, 0.25], [-0.10, 0.17, 0.65]])
TUNGSTEN = np.array([[0.75, -0.25, -0.02], [-0.45, 1.25, 0.22], [-0.06, 0.20, 0.55]])
D65 = xy_to_xyz(*D65_XY)


def tags(**matrices) -> dict:
    """Tags as `exifread` tells them, by their numbers."""
    return {f"Image Tag {name.replace('x', '0x')}": SimpleNamespace(values=np.ravel(v)) for name, v in matrices.items()}


BOTH = {"xC621": TUNGSTEN, "xC622": DAYLIGHT, "xC65A": [17], "xC65B": [21]}


class Two(unittest.TestCase):
    def assert_true(self, kelvin: float, matrix: np.ndarray) -> None:
        """Colours under a light come out adapted to D65, if the camera answers by a matrix there."""
        white = xy_to_xyz(*white_xy(kelvin, 0.0))
        neutral = matrix @ white
        found = dng_colour(tags(**BOTH), neutral)
        self.assertAlmostEqual(1e6 / found.white[0], 1e6 / kelvin, delta=2)
        xyz = np.random.default_rng(1).uniform(0.1, 0.9, (20, 3)) * white
        true = xyz @ (XYZ_TO_REC2020 @ adaptation_matrix(white, D65)).T
        np.testing.assert_allclose((xyz @ matrix.T / neutral) @ found.to_rec2020.T, true, rtol=0.01, atol=2e-3)

    def test_at_either_light_its_own_matrix_counts(self):
        self.assert_true(2856, TUNGSTEN)
        self.assert_true(6504, DAYLIGHT)
        # Beyond both, the nearer.
        self.assert_true(9000, DAYLIGHT)

    def test_between_them_a_mixture_by_mired(self):
        middle = 2e6 / (1e6 / 2856 + 1e6 / 6504)
        self.assert_true(middle, (TUNGSTEN + DAYLIGHT) / 2)

    def test_a_forward_matrix_takes_balanced_colours_to_light(self):
        forward = np.array([[0.6, 0.25, 0.1142], [0.25, 0.75, 0.0], [0.05, 0.1, 0.6749]])
        neutral = TUNGSTEN @ xy_to_xyz(*white_xy(2856, 0.0))
        found = dng_colour(tags(xC621=TUNGSTEN, xC65A=[17], xC714=forward), neutral)
        d50 = np.array([0.9642, 1.0, 0.8249])
        expected = XYZ_TO_REC2020 @ adaptation_matrix(d50, D65) @ forward
        np.testing.assert_allclose(found.to_rec2020, expected / expected.sum(1, keepdims=True), atol=1e-6)

    def test_one_matrix_alone_or_damaged_ones_say_nothing_more(self):
        white = DAYLIGHT @ D65
        for other in (
            {"xC621": DAYLIGHT, "xC65A": [21]},
            BOTH | {"xC65B": [17]},
            BOTH | {"xC65B": [255]},
            BOTH | {"xC621": np.ones((3, 3))},
            BOTH | {"xC621": np.full((3, 3), np.nan)},
            BOTH | {"xC622": [1.0, 2.0]},
        ):
            self.assertIsNone(dng_colour(tags(**other), white))
        self.assertIsNone(dng_colour(tags(**BOTH), np.array([1.0, -1.0, 1.0])))


class Files(FolderCase):
    def test_a_file_with_two_is_read_by_both(self):
        sensor = Sensor()
        matrix = np.array(sensor.xyz_to_camera)
        neutral = matrix @ xy_to_xyz(*white_xy(2856, 0.0))
        told = {"neutral": neutral / neutral[1]}
        one = read_raw(take(self.folder, night(), [Exposure(1.0)], name="one", **told)[0])
        two = read_raw(take(self.folder, night(), [Exposure(1.0)], name="two", under_tungsten=matrix, **told)[0])
        self.assertAlmostEqual(two.as_shot[0], 2856, delta=15)
        self.assertGreater(np.abs(one.to_rec2020 - two.to_rec2020).max(), 0.01)
        np.testing.assert_allclose(two.to_rec2020.sum(1), 1.0, atol=1e-5)


if __name__ == "__main__":
    unittest.main()
