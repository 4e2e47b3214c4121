"""The simulated camera's turning, lens, stars and brackets."""

import json
import unittest
from dataclasses import replace

import numpy as np

from crenn.camera.optics import Pose, between, view_of_light
from crenn.camera.scenes import SCENES
from crenn.camera.shoot import Bracket, scene_named, shoot
from crenn.camera.stars import TURN, Satellite, StarField
from crenn.core.errors import CrennError
from crenn.core.frames.raw import read_raw
from crenn.core.geometry.lens import Lens
from crenn.core.geometry.mapping import apply_homography
from crenn.core.radiance import read_exr
from tests.support import FolderCase

DEGREE = np.pi / 180


class Turning(unittest.TestCase):
    lens = Lens(0.7, (600, 400))

    def test_a_turn_to_the_right_moves_the_picture_left(self):
        centre = np.array([[299.5, 199.5]])
        moved = apply_homography(between(self.lens, Pose(), Pose(yaw=DEGREE)), centre) - centre
        self.assertAlmostEqual(moved[0, 0], -self.lens.focal * np.tan(DEGREE), delta=0.01)
        self.assertAlmostEqual(moved[0, 1], 0.0, delta=1e-6)

    def test_roll_turns_round_the_middle(self):
        matrix = between(self.lens, Pose(), Pose(roll=5 * DEGREE))
        np.testing.assert_allclose(apply_homography(matrix, np.array([[299.5, 199.5]])), [[299.5, 199.5]], atol=1e-9)
        far = apply_homography(matrix, np.array([[399.5, 199.5]])) - (299.5, 199.5)
        self.assertAlmostEqual(np.hypot(*far[0]), 100.0, delta=1e-6)
        self.assertAlmostEqual(abs(np.degrees(np.arctan2(far[0, 1], far[0, 0]))), 5.0, delta=1e-6)

    def test_maps_agree_with_the_light_they_view(self):
        poses = Pose(0.4 * DEGREE, -0.3 * DEGREE, 1.1 * DEGREE), Pose(-0.2 * DEGREE, 0.5 * DEGREE, -0.7 * DEGREE)
        light = Lens(0.7 * 1.1, (660, 440))
        points = np.random.default_rng(0).uniform((50, 50), (550, 350), (60, 2))
        first, second = (view_of_light(self.lens, p, light) for p in poses)
        there = apply_homography(between(self.lens, *poses), points)
        np.testing.assert_allclose(second.at(there), first.at(points), atol=0.01)

    def test_barrel_distortion_pulls_corners_in(self):
        bent = replace(self.lens, distortion=-0.05)
        plain, drawn = (v.pixels(np.array([[0.6, 0.4, 1.0]])) - (299.5, 199.5) for v in (self.lens, bent))
        self.assertGreater(np.hypot(*drawn[0]), np.hypot(*plain[0]))


class Stars(unittest.TestCase):
    field = StarField(pole=(0.0, 0.6), count=4000, faintest=1e-5)
    lens = Lens(0.8, (480, 320))

    def draw(self, start: float, **changes) -> np.ndarray:
        image = np.zeros((320, 480, 3), np.float32)
        replace(self.field, **changes).draw(
            image, np.ones((320, 480), np.float32), self.lens, (0, 0, 0, 0, 0.4), Pose(), 0, start, 0.1
        )
        return image

    def test_light_does_not_depend_on_the_size(self):
        small = self.draw(0.0)
        large = np.zeros((640, 960, 3), np.float32)
        self.field.draw(
            large, np.ones((640, 960), np.float32), Lens(0.8, (960, 640)), (0, 0, 0, 0, 0.4), Pose(), 0, 0.0, 0.1
        )
        self.assertAlmostEqual(large.sum() / small.sum() / 4, 1.0, delta=0.02)

    def test_the_sky_returns_after_a_sidereal_day(self):
        np.testing.assert_allclose(self.draw(2 * np.pi / TURN), self.draw(0.0), atol=1e-3)
        self.assertGreater(np.abs(self.draw(600.0) - self.draw(0.0)).max(), 0.01)

    def test_ground_hides_stars(self):
        image = np.zeros((320, 480, 3), np.float32)
        sky = np.zeros((320, 480), np.float32)
        sky[:100] = 1
        self.field.draw(image, sky, self.lens, (0, 0, 0, 0, 0.4), Pose(), 0, 0.0, 0.1)
        self.assertEqual(image[101:].max(), 0)
        self.assertGreater(image[:99].max(), 0)

    def test_a_satellite_shows_in_its_own_frame_only(self):
        passing = (Satellite(0, (0.1, 0.5), (0.9, 0.5), 2.0),)
        self.assertGreater((self.draw(0.0, satellites=passing) - self.draw(0.0))[158:162, 100:400].mean(), 0.3)
        other = (replace(passing[0], frame=3),)
        np.testing.assert_array_equal(self.draw(0.0, satellites=other), self.draw(0.0))


class Brackets(FolderCase):
    def test_a_chosen_bracket(self):
        bracket = Bracket.chosen(scene_named("kiln-yard"), 5, 1.5, 400, shake=0.3, shift=1.0)
        stops = np.log2([e.seconds for e in bracket.exposures])
        np.testing.assert_allclose(np.diff(stops), 1.5, atol=1e-9)
        self.assertAlmostEqual(bracket.exposures[2].seconds, 1.0 * 100 / 400 * 2)
        self.assertFalse(any(p.still for p in bracket.poses))
        self.assertTrue(
            all(b >= a + e.seconds for a, b, e in zip(bracket.starts, bracket.starts[1:], bracket.exposures))
        )

    def test_what_cannot_be_shot_is_refused(self):
        scene = scene_named("kiln-yard")
        for count, step, iso, shake in (
            (0, 1, 100, 0),
            (61, 0, 100, 0),
            (5, 5, 100, 0),
            (5, 1, 10, 0),
            (5, 1, 100, 3),
            (60, 4, 100, 0),
        ):
            with self.subTest(count=count, step=step, iso=iso, shake=shake), self.assertRaises(CrennError):
                Bracket.chosen(scene, count, step, iso, shake)

    def test_every_scene_is_shot_with_its_truth(self):
        for name in SCENES:
            with self.subTest(scene=name):
                scene = SCENES[name]()
                size = (96, 64)
                shot = shoot(name, self.folder / name, size)
                self.assertEqual(len(shot.frames), len(scene.exposures))
                self.assertEqual(len(shot.darks), scene.darks)
                self.assertEqual(read_exr(shot.truth).shape, (64, 96))
                frame = read_raw(shot.frames[0])
                self.assertEqual(frame.mosaic.shape, (64, 96))
                self.assertAlmostEqual(frame.metadata.seconds, scene.exposures[0].seconds, delta=1e-4)
                if shot.maps:
                    told = json.loads((self.folder / name / "truth.json").read_text())
                    np.testing.assert_allclose(told["maps"][shot.reference], np.eye(3), atol=1e-12)
        for path in shoot("ridge-observatory", self.folder / "again", (96, 64)).darks:
            self.assertLess(np.median(read_raw(path).mosaic), 530)
