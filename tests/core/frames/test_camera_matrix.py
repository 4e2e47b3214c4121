"""From a camera's colours to light: by the matrix that LibRaw or the file knows."""

import unittest
from types import SimpleNamespace

import numpy as np

from crenn.core.colorimetry.spaces import REC2020_TO_SRGB, REC2020_TO_XYZ, XYZ_TO_SRGB
from crenn.core.frames.raw import _camera_matrix

NOTHING = np.zeros((3, 3))
#: From XYZ to a camera, as published tables have them.
XYZ_TO_CAMERA = np.array([[0.66, -0.18, -0.05], [-0.52, 1.30, 0.25], [-0.10, 0.17, 0.65]])


def told(from_xyz=NOTHING, to_srgb=NOTHING) -> np.ndarray:
    """What is made of LibRaw's two matrices, which both have a fourth row or column."""
    raw = SimpleNamespace(
        rgb_xyz_matrix=np.vstack([from_xyz, np.zeros(3)]), color_matrix=np.column_stack([to_srgb, np.zeros(3)])
    )
    return _camera_matrix(raw)


class Matrix(unittest.TestCase):
    def test_the_tables_matrix_takes_colours_back_to_light(self):
        found = told(XYZ_TO_CAMERA)
        light = np.random.default_rng(1).uniform(0, 1, (50, 3))
        camera = light @ (XYZ_TO_CAMERA @ REC2020_TO_XYZ).T
        white = XYZ_TO_CAMERA @ REC2020_TO_XYZ @ np.ones(3)
        np.testing.assert_allclose((camera / white) @ found.T, light, atol=1e-5)

    def test_a_file_that_brings_its_own_is_read_alike(self):
        white = XYZ_TO_CAMERA @ REC2020_TO_XYZ @ np.ones(3)
        to_srgb = REC2020_TO_SRGB @ np.linalg.inv(XYZ_TO_CAMERA @ REC2020_TO_XYZ / white[:, None])
        np.testing.assert_allclose(told(to_srgb=to_srgb), told(XYZ_TO_CAMERA), atol=1e-5)

    def test_a_camera_that_nobody_knows_has_the_colours_of_srgb(self):
        np.testing.assert_allclose(told(), np.linalg.inv(REC2020_TO_SRGB), atol=1e-5)
        np.testing.assert_allclose(told(XYZ_TO_SRGB), told(), atol=1e-5)

    def test_a_damaged_one_is_none(self):
        level = np.outer([1.0, 1.0, 1.0], [0.3, 0.4, 0.3])
        for damaged in (level, np.array([[1.0, -1.0, 0.0]] * 3), np.eye(3) * 1e-9):
            found = told(damaged)
            self.assertTrue(np.isfinite(found).all())
            np.testing.assert_allclose(found.sum(1), 1.0, atol=1e-4)


if __name__ == "__main__":
    unittest.main()
