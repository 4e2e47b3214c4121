"""Perspective and the lines that ask for it, against cameras whose way of being held is known."""

import unittest
from dataclasses import replace

import cv2
import numpy as np

from crenn.core.errors import CrennError
from crenn.core.geometry.level import Level, LevelParameters
from crenn.core.geometry.lines import find_lines, straighten, straighten_by, through
from crenn.core.geometry.perspective import USUAL, Perspective, PerspectiveParameters, equivalent
from crenn.core.geometry.turn import Turn, TurnParameters
from crenn.core.pipeline.picture_geometry import PictureGeometry
from tests.support import SCENE_LIGHT

SCENE = (1000, 1500)
WHOLE = PictureGeometry.whole(SCENE)


def held(roll: float = 0.0, pitch: float = 0.0, yaw: float = 0.0) -> np.ndarray:
    """The rotation from the world (x right, y down, z ahead) to a camera rolled, pitched and swung, in degrees."""
    r, p, y = np.radians((roll, pitch, yaw))
    rolled = np.array([[np.cos(r), -np.sin(r), 0], [np.sin(r), np.cos(r), 0], [0, 0, 1]])
    pitched = np.array([[1, 0, 0], [0, np.cos(p), -np.sin(p)], [0, np.sin(p), np.cos(p)]])
    swung = np.array([[np.cos(y), 0, -np.sin(y)], [0, 1, 0], [np.sin(y), 0, np.cos(y)]])
    return rolled @ pitched @ swung


def seen(edges: np.ndarray, camera: np.ndarray) -> np.ndarray:
    """Edges of the world, (N, 2, 3), as the camera draws them: (N, 4) about the middle, in longer sides."""
    at = edges @ camera.T
    return (at[..., :2] / at[..., 2:]).reshape(-1, 4)


def house(count: int = 12, seed: int = 1) -> tuple[np.ndarray, np.ndarray]:
    """Standing and lying edges of a front that is faced squarely, each (N, 2, 3)."""
    rng = np.random.default_rng(seed)
    x, y = rng.uniform(-2.5, 2.5, count), rng.uniform(-1.5, 1.5, count)
    standing = np.stack([np.stack([x, y - 0.8, 0 * x + 8], -1), np.stack([x, y + 0.8, 0 * x + 8], -1)], 1)
    lying = np.stack([np.stack([x - 0.9, y, 0 * x + 8], -1), np.stack([x + 0.9, y, 0 * x + 8], -1)], 1)
    return standing, lying


def corrected(lines: np.ndarray, level: float, **perspective) -> np.ndarray:
    """Lines as they lie in the plane after level and perspective, (N, 4) in pixels."""
    frame = Level().frame(WHOLE, LevelParameters(angle=level), SCENE_LIGHT)
    frame = Perspective().frame(frame, PerspectiveParameters(**perspective), SCENE_LIGHT)
    points = lines.reshape(-1, 2) * frame.long_side + np.array([SCENE[1], SCENE[0]]) / 2
    return frame.to_plane(points).reshape(-1, 4)


def lean(lines: np.ndarray, standing: bool) -> float:
    """The farthest that lines lean, in degrees."""
    way = lines[:, 2:] - lines[:, :2]
    off = np.arctan(way[:, 0] / way[:, 1]) if standing else np.arctan(way[:, 1] / way[:, 0])
    return float(np.degrees(np.abs(off)).max())


class Steep(unittest.TestCase):
    def test_a_steep_view_by_a_wide_lens_is_found_and_stands_afterwards(self):
        standing, _ = house(40)
        camera = held(pitch=40.0)
        # By a lens of 20 mm, before a front that is far above.
        wide = seen(standing + np.array([0, -4.0, 0]), camera) * (20.0 / USUAL)
        found = straighten(wide, focal=20.0)
        self.assertAlmostEqual(abs(found.vertical), 40.0, delta=0.5)
        straight = corrected(wide, found.level, vertical=found.vertical, focal=20.0)
        self.assertLess(lean(straight, True), 0.2)

    def test_the_focal_length_is_the_lens_s_before_the_sensor_s_size(self):
        report = SCENE_LIGHT.capture
        self.assertEqual(equivalent(report), USUAL)
        self.assertEqual(equivalent(replace(report, focal_length=16.0, crop=1.5)), 24.0)


class Perspectives(unittest.TestCase):
    def test_none_is_the_frame_itself(self):
        self.assertIs(Perspective().frame(WHOLE, PerspectiveParameters(), SCENE_LIGHT), WHOLE)
        self.assertIs(Perspective().frame(WHOLE, PerspectiveParameters(vertical=20, amount=0), SCENE_LIGHT), WHOLE)

    def test_the_middle_stays_at_its_size(self):
        for values in ({"vertical": 15}, {"horizontal": -20}, {"vertical": -8, "horizontal": 12}):
            frame = Perspective().frame(WHOLE, PerspectiveParameters(**values), SCENE_LIGHT)
            at = np.array([[750.0, 500.0], [751.0, 500.0]])
            there = frame.to_plane(at)
            with self.subTest(**values):
                np.testing.assert_allclose(there[0], [750, 500], atol=1e-6)
                self.assertAlmostEqual(float(np.hypot(*(there[1] - there[0]))), 1.0, delta=2e-3)

    def test_a_pitched_camera_is_taken_back_by_its_angle(self):
        standing, _ = house()
        for pitch in (-20.0, -5.0, 12.0):
            lines = seen(standing, held(pitch=pitch))
            self.assertGreater(lean(lines, True), 0.5)
            self.assertLess(lean(corrected(lines, 0.0, vertical=-pitch), True), 1e-6)
            half = lean(corrected(lines, 0.0, vertical=-pitch, amount=50), True)
            self.assertTrue(0.3 < half / lean(lines, True) < 0.7)

    def test_aspect_makes_things_wider_or_taller_and_keeps_their_area(self):
        frame = Perspective().frame(WHOLE, PerspectiveParameters(aspect=1.44), SCENE_LIGHT)
        there = frame.to_plane(np.array([[750.0, 500], [850, 500], [750, 600]]))
        self.assertAlmostEqual(float(there[1, 0] - there[0, 0]), 100 / 1.2, places=6)
        self.assertAlmostEqual(float(there[2, 1] - there[0, 1]), 120.0, places=6)

    def test_too_much_is_said_and_not_computed(self):
        frame = Perspective().frame(WHOLE, PerspectiveParameters(vertical=40, horizontal=40), SCENE_LIGHT)
        with self.assertRaisesRegex(CrennError, "turns the picture over|stretches"):
            _ = frame.walls


class Lines(unittest.TestCase):
    def test_drawn_lines_say_how_the_camera_was_held(self):
        standing, lying = house()
        for roll, pitch, yaw in ((0, 0, 0), (2.0, -9.0, 0), (-3.5, 14.0, 0), (1.0, 5.0, 12.0), (0.0, 0.0, -15.0)):
            camera = held(roll, pitch, yaw)
            two = seen(standing[:2], camera)
            found = straighten_by(two)
            with self.subTest(roll=roll, pitch=pitch, yaw=yaw):
                self.assertLess(
                    lean(corrected(seen(standing, camera), found.level, vertical=found.vertical), True), 0.01
                )
                four = straighten_by(np.concatenate([two, seen(lying[2:4], camera)]))
                angles = {"vertical": four.vertical, "horizontal": four.horizontal}
                self.assertLess(lean(corrected(seen(standing, camera), four.level, **angles), True), 0.01)
                self.assertLess(lean(corrected(seen(lying, camera), four.level, **angles), False), 0.01)

    def test_many_lines_with_some_that_do_not_belong(self):
        rng = np.random.default_rng(7)
        standing, lying = house(20)
        camera = held(1.2, -7.0, 4.0)
        lines = np.concatenate([seen(standing, camera), seen(lying, camera)])
        lines += rng.normal(0, 0.0003, lines.shape)
        stray = rng.uniform(-0.5, 0.5, (15, 2))
        lines = np.concatenate([lines, np.concatenate([stray, stray + rng.uniform(-0.1, 0.1, (15, 2))], 1)])
        found = straighten(lines, horizontal=True)
        self.assertAlmostEqual(found.vertical, 7.0, delta=0.3)
        self.assertLess(lean(corrected(seen(standing, camera), found.level, vertical=found.vertical), True), 0.2)

    def test_lines_of_a_turned_picture_are_taken_as_it_is_seen(self):
        standing, _ = house()
        lines = seen(standing, held(2.0, -6.0))
        plain = straighten_by(lines[:2])
        mirrored = straighten_by(through(lines[:2], Turn().frame(WHOLE, TurnParameters(mirror=True), SCENE_LIGHT)))
        self.assertAlmostEqual(mirrored.level, -plain.level, places=6)
        self.assertAlmostEqual(mirrored.vertical, plain.vertical, places=6)
        over = straighten_by(through(lines[:2], Turn().frame(WHOLE, TurnParameters(quarters="2"), SCENE_LIGHT)))
        self.assertAlmostEqual(over.level, plain.level, places=6)
        self.assertAlmostEqual(over.vertical, -plain.vertical, places=6)

    def test_edges_are_found_in_the_light_to_a_twentieth_of_a_degree(self):
        standing, lying = house(14, seed=3)
        for roll in (-2.3, 0.0, 1.7):
            lines = np.concatenate([seen(standing, held(roll, -6.0)), seen(lying, held(roll, -6.0))])
            canvas = np.full((1000, 1500), 0.02, np.float32)
            for line in lines * 1500 + np.array([750, 500] * 2):
                a, b = (tuple(np.round(p * 64).astype(int).tolist()) for p in (line[:2], line[2:]))
                cv2.line(canvas, a, b, 0.6, 5, cv2.LINE_AA, shift=6)
            rgb = np.repeat(cv2.GaussianBlur(canvas, (0, 0), 0.8)[..., None], 3, -1)
            found = straighten(find_lines(rgb, 1e-4))
            with self.subTest(roll=roll):
                self.assertAlmostEqual(found.level, -roll, delta=0.05)
                self.assertAlmostEqual(found.vertical, 6.0, delta=0.2)

    def test_where_nothing_stands_a_horizon_says_how_the_picture_lies(self):
        for lean in (-3.0, 1.4):
            way = np.tan(np.radians(lean))
            lines = np.array([[-0.4, -0.4 * way + y, 0.4, 0.4 * way + y] for y in (-0.1, 0.0, 0.12)])
            found = straighten(lines)
            self.assertAlmostEqual(found.level, -lean, delta=0.01)
            self.assertEqual((found.vertical, found.horizontal), (0.0, 0.0))


class Faults(unittest.TestCase):
    def test_lines_that_say_nothing(self):
        line = [-0.2, -0.3, -0.21, 0.3]
        for lines, words in (
            ([[0.1, 0.1, 0.1, 0.1], line], "two places"),
            ([line, line], "one and the same"),
            ([line], "second one"),
            ([[-0.2, -0.3, 0.04, 0.3], [0.2, -0.3, -0.04, 0.3]], "meet within the picture"),
        ):
            with self.subTest(words=words), self.assertRaisesRegex(CrennError, words):
                straighten_by(np.array(lines))

    def test_a_picture_without_lines(self):
        rng = np.random.default_rng(1)
        rgb = cv2.GaussianBlur(rng.random((300, 400, 3), dtype=np.float32), (0, 0), 9)
        with self.assertRaisesRegex(CrennError, "Too few"):
            straighten(find_lines(rgb, 1e-4))
        self.assertEqual(find_lines(np.ones((50, 60, 3), np.float32), 1e-4).shape, (0, 4))
