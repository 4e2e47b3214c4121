"""Level: which way it turns, and about which place."""

import unittest

import numpy as np

from crenn.core.geometry.level import Level, LevelParameters
from crenn.core.pipeline.picture_geometry import PictureGeometry
from tests.support import SCENE_LIGHT

SCENE = (800, 1200)


def level(angle: float) -> PictureGeometry:
    return Level().frame(PictureGeometry.whole(SCENE), LevelParameters(angle=angle), SCENE_LIGHT)


class Turning(unittest.TestCase):
    def test_none_is_the_frame_itself(self):
        frame = PictureGeometry.whole(SCENE)
        self.assertIs(Level().frame(frame, LevelParameters(), SCENE_LIGHT), frame)

    def test_a_positive_angle_turns_the_picture_clockwise(self):
        right_of_middle = np.array([[1000.0, 400.0]])
        x, y = level(10).to_plane(right_of_middle)[0]
        self.assertGreater(y, 400 + 400 * np.sin(np.radians(9.9)))
        self.assertAlmostEqual(float(np.hypot(x - 600, y - 400)), 400, places=6)

    def test_the_middle_stays(self):
        np.testing.assert_allclose(level(33).to_plane(np.array([[600.0, 400.0]])), [[600, 400]], atol=1e-9)

    def test_lengths_stay(self):
        a, b = level(12).to_plane(np.array([[100.0, 100.0], [900.0, 700.0]]))
        self.assertAlmostEqual(float(np.hypot(*(a - b))), 1000, places=6)
