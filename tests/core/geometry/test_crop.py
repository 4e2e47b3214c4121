"""Crop: what fits, what shape it has, and what cannot be."""

import unittest

import numpy as np

from crenn.core.errors import CrennError
from crenn.core.geometry.crop import RATIOS, Crop, CropParameters, largest_within
from crenn.core.geometry.level import Level, LevelParameters
from crenn.core.pipeline.picture_geometry import PictureGeometry
from tests.support import SCENE_LIGHT

SCENE = (800, 1200)
WHOLE = PictureGeometry.whole(SCENE)


def level(angle: float, scene: tuple[int, int] = SCENE) -> PictureGeometry:
    return Level().frame(PictureGeometry.whole(scene), LevelParameters(angle=angle), SCENE_LIGHT)


def box(frame: PictureGeometry = WHOLE, **values) -> tuple[int, int, int, int]:
    return Crop().box(frame, CropParameters(**values))


class Shape(unittest.TestCase):
    def test_without_settings_it_is_the_picture_itself(self):
        self.assertIs(Crop().frame(WHOLE, CropParameters(), SCENE_LIGHT), WHOLE)

    def test_a_ratio_takes_the_largest_that_fits_from_the_middle(self):
        for name, (long, short) in RATIOS.items():
            for portrait in (False, True):
                x, y, width, height = box(ratio=name, portrait=portrait)
                with self.subTest(ratio=name, portrait=portrait):
                    wanted = short / long if portrait else long / short
                    self.assertAlmostEqual(width / height, wanted, delta=2.5 / min(width, height))
                    self.assertTrue(width >= 1199 or height >= 799)
                    self.assertLessEqual(abs(2 * x + width - 1200) + abs(2 * y + height - 800), 2)

    def test_a_ratio_of_ones_own_whichever_side_is_named_first(self):
        for own in ([7.0, 3.0], [3.0, 7.0]):
            _, _, width, height = box(ratio="own", own=own)
            self.assertAlmostEqual(width / height, 7 / 3, delta=0.01)
        for own in ([0.0, 1.0], [1.0], [1.0, float("nan")]):
            with self.assertRaises(ValueError):
                CropParameters(ratio="own", own=own)

    def test_a_free_crop_is_stood_up_too(self):
        lying = {"ratio": "free", "centre": [0.5, 0.33], "width": 0.4, "height": 0.2}
        self.assertEqual(box(**lying)[2:], (480, 240))
        self.assertEqual(box(**lying, portrait=True)[2:], (240, 480))
        self.assertEqual(box(ratio="free", portrait=True)[2:], (533, 800))

    def test_as_shot_stood_up(self):
        _, _, width, height = box(portrait=True)
        self.assertEqual((width, height), (533, 800))

    def test_it_holds_on_to_its_place_and_size(self):
        self.assertEqual(box(ratio="free", centre=[0.5, 0.25], width=0.5, height=0.25), (300, 150, 600, 300))
        self.assertEqual(box(ratio="1:1", centre=[0.5, 0.25], width=0.25), (450, 150, 300, 300))
        self.assertEqual(box(ratio="2:1", centre=[0.5, 0.25], height=0.25), (300, 150, 600, 300))

    def test_another_ratio_keeps_as_much_picture(self):
        for name in RATIOS:
            _, _, width, height = box(ratio=name, centre=[0.5, 0.33], width=0.4, height=0.3)
            self.assertAlmostEqual(width * height / (0.4 * 0.3 * 1200**2), 1.0, delta=0.02, msg=name)

    def test_what_does_not_fit_is_made_smaller_about_its_place(self):
        x, y, width, height = box(ratio="free", centre=[0.1, 0.1], width=0.5, height=0.5)
        self.assertEqual((x, y), (0, 0))
        self.assertEqual((width, height), (240, 240))


class Turned(unittest.TestCase):
    def inside(self, frame: PictureGeometry, found: tuple[int, int, int, int]) -> float:
        """How far the centre of the farthest pixel lies outside the scene, in pixels."""
        x, y, w, h = found
        x0, y0, x1, y1 = x + 0.5, y + 0.5, x + w - 0.5, y + h - 0.5
        corners = frame.to_scene(np.array([[x0, y0], [x1, y0], [x0, y1], [x1, y1]]))
        return float(np.maximum(-corners, corners - np.array([1200, 800])).max())

    def test_no_corner_is_empty(self):
        for angle in (-30, -4.4, 0.05, 1, 12, 45):
            for values in (
                {},
                {"ratio": "1:1"},
                {"ratio": "16:9", "portrait": True},
                {"centre": [0.2, 0.5]},
                {"ratio": "free"},
            ):
                with self.subTest(angle=angle, **values):
                    found = box(level(angle), **values)
                    self.assertLess(self.inside(level(angle), found), 0.06)

    def test_none_of_the_shape_is_larger(self):
        # The largest level rectangle of a shape within a turned one, by its closed form: sides w, h scaled by f so
        # that f (w cos + h sin) = W and f (w sin + h cos) = H, whichever is nearer.
        for angle in (2.0, 7.5, 20.0):
            turn = np.radians(angle)
            cos, sin = np.cos(turn), np.sin(turn)
            factor = min(1200 / (1200 * cos + 800 * sin), 800 / (1200 * sin + 800 * cos))
            _, _, width, _ = box(level(angle))
            self.assertAlmostEqual(width, 1200 * factor, delta=1.5)

    def test_empty_corners_on_wish_hold_all_there_is(self):
        frame = level(10)
        x, y, width, height = box(frame, ratio="free", corners=True)
        scene = frame.to_plane(np.array([[0, 0], [1200, 0], [0, 800], [1200, 800.0]]))
        low, high = scene.min(0), scene.max(0)
        np.testing.assert_allclose([x, y, x + width, y + height], [*low, *high], atol=1.01)

    def test_a_shape_is_taken_where_it_fits_best(self):
        walls = np.array([[1, 0, 10], [-1, 0, 0], [0, 1, 4], [0, -1, 0], [1, 1, 11.0]])
        middle, factor = largest_within(walls, np.array([1.0, 1.0]))
        self.assertAlmostEqual(factor, 2.0, places=9)
        self.assertAlmostEqual(float(middle[1]), 2.0, places=9)
        self.assertLessEqual(float(middle.sum()) + 4.0, 11.0 + 1e-9)


class Faults(unittest.TestCase):
    def test_a_crop_to_nothing(self):
        for values in (
            {"centre": [1.5, 0.2]},
            {"centre": [0.5, -0.01]},
            {"centre": [0.5, 0.3], "width": 0.005, "ratio": "1:1"},
        ):
            with self.subTest(**values), self.assertRaisesRegex(CrennError, "outside the picture|leaves nothing"):
                box(**values)

    def test_the_smallest_scenes_can_be_had_whole(self):
        tiny = PictureGeometry.whole((3, 5))
        self.assertIs(Crop().frame(tiny, CropParameters(), SCENE_LIGHT), tiny)

    def test_walls_that_leave_no_room(self):
        walls = np.array([[1, 0, 1], [-1, 0, -2], [0, 1, 1], [0, -1, 0.0]])
        with self.assertRaisesRegex(CrennError, "fits"):
            largest_within(walls, np.array([1.0, 1.0]))
