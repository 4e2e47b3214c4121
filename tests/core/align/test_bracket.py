"""Alignment: maps, resampling, registration, and what must never be blended."""

import unittest
from dataclasses import replace

import numpy as np

from crenn.camera.optics import Pose, between, view_of_light
from crenn.camera.sensor import Exposure, Sensor
from crenn.core.align.bracket import align
from crenn.core.geometry.lens import Lens
from crenn.core.geometry.mapping import Mesh, apply_homography
from crenn.core.geometry.resample import resample
from crenn.core.merge.instructions import Instructions
from crenn.core.merge.merge import merge_frames
from crenn.core.mosaic.levels import Levels
from crenn.core.mosaic.moving import MISSING, MOVED_LEVELS, Interpolated, noise_share
from crenn.core.mosaic.noise import NoiseModel
from tests.support import RGGB, FolderCase, light_frames, night, take

CLEAN = Sensor(prnu=0.0, dsnu=0.0, hot_share=0.0, dark_current=0.0)
ONES = np.ones(3, np.float32)


def town(height: int = 440, width: int = 640) -> np.ndarray:
    """A night with a wall of blocks in front, so that there is detail everywhere."""
    rgb = night(height, width)
    rng = np.random.default_rng(8)
    y = int(height * 0.55)
    blocks = rng.uniform(0.3, 3.0, (height // 14 + 1, width // 22 + 1)).astype(np.float32)
    wall = np.kron(blocks, np.ones((14, 22), np.float32))[:height, :width]
    rgb[y:] *= wall[y:, :, None]
    tower = rng.uniform(0.02, 0.5, (12, 5)).astype(np.float32)
    for x in (40, 300, 520):
        rgb[y - 168 : y, x : x + 60] = np.kron(tower, np.ones((14, 12), np.float32))[..., None] * [1.0, 0.8, 0.5]
    import cv2

    return cv2.GaussianBlur(rgb, (0, 0), 0.7)


def hand_held(degrees: float, count: int = 4, seed: int = 4):
    """Light of frames from a shaken camera, and the maps from the third to each: ([(H, W, 3)], [(3, 3)])."""
    wide = Lens(0.75, (640, 440))
    lens = Lens(0.75 * 560 / 640, (560, 384))
    rng = np.random.default_rng(seed)
    poses = [Pose(*(rng.standard_normal(3) * degrees * np.pi / 180)) if i != 2 else Pose() for i in range(count)]
    light = town()
    return [np.maximum(resample(light, view_of_light(lens, p, wide)), 0) for p in poses], [
        between(lens, poses[2], p) for p in poses
    ]


class Maps(unittest.TestCase):
    def test_a_mesh_follows_its_homography(self):
        matrix = np.array([[1.01, 0.02, 3.0], [-0.02, 0.99, -7.0], [1e-6, -2e-6, 1.0]])
        mesh = Mesh.from_homography(matrix, (900, 1300))
        points = np.random.default_rng(0).uniform((0, 0), (1299, 899), (300, 2))
        np.testing.assert_allclose(mesh.at(points), apply_homography(matrix, points), atol=1e-3)

    def test_covered_is_the_part_both_show(self):
        mesh = Mesh.from_homography(np.array([[1.0, 0, 10], [0, 1, -20], [0, 0, 1]]), (200, 300))
        self.assertEqual(mesh.covered((200, 300)), (0, 20, 290, 180))

    def test_a_lens_is_its_own_inverse(self):
        lens = Lens(0.8, (600, 400), -0.05)
        points = np.random.default_rng(0).uniform((0, 0), (599, 399), (100, 2))
        np.testing.assert_allclose(lens.pixels(lens.directions(points)), points, atol=1e-6)


class Resampling(unittest.TestCase):
    def test_nothing_moves_under_the_identity(self):
        image = np.random.default_rng(1).random((60, 80, 3)).astype(np.float32)
        np.testing.assert_allclose(resample(image, Mesh.identity((60, 80))), image, atol=1e-6)

    def test_a_wave_keeps_its_height_and_finds_its_place(self):
        y, x = np.mgrid[:96, :128].astype(np.float64)
        shift = Mesh.of(lambda p: p + (0.37, -0.21), (96, 128))
        wave = np.sin(2 * np.pi * (x / 5.0 + y / 9.0))[..., None].astype(np.float32)
        truth = np.sin(2 * np.pi * ((x + 0.37) / 5.0 + (y - 0.21) / 9.0))
        np.testing.assert_allclose(resample(wave, shift)[8:-8, 8:-8, 0], truth[8:-8, 8:-8], atol=0.03)

    def test_outside_is_not_made_up(self):
        moved = resample(np.ones((40, 60, 1), np.float32), Mesh.of(lambda p: p + (20, 0), (40, 60)))
        self.assertTrue(np.isnan(moved[:, 45:]).all())
        self.assertTrue(np.isfinite(moved[:, :38]).all())

    def test_noise_of_a_moved_mosaic_is_foretold(self):
        rng = np.random.default_rng(2)
        deviation = 40.0
        mosaic = np.rint(4000 + deviation * rng.standard_normal((400, 600))).astype(np.uint16)
        slope, offset = np.zeros(3, np.float32), np.full(3, (deviation / 16383) ** 2, np.float32)
        for shift in ((0.5, 0.5), (1.0, 0.0), (0.25, 0.75)):
            with self.subTest(shift=shift):
                mesh = Mesh.of(lambda p, s=shift: p + s, mosaic.shape)
                levels = Levels(np.zeros(3, np.float32), 16383.0, 16000.0)
                moved = Interpolated.of(mosaic, RGGB, levels, ONES, NoiseModel(slope, offset)).moved(mesh)
                black, white = MOVED_LEVELS.black[0], MOVED_LEVELS.white
                share = noise_share(mesh, RGGB, ONES)
                for row in range(2):
                    for column in range(2):
                        c = RGGB[row, column]
                        plane = (moved[20 + row : -20 : 2, 20 + column : -20 : 2] - black) / (white - black) * 16383
                        got = plane.astype(np.float64).var() / deviation**2
                        self.assertAlmostEqual(got / share[5:-5, 5:-5, c].mean(), 1.0, delta=0.12)

    def test_clipped_light_stays_clipped_and_outside_is_marked(self):
        mosaic = np.full((80, 120), 3000, np.uint16)
        mosaic[30:40, 50:60] = 16383
        levels = Levels(np.full(3, 512, np.float32), 16383.0, 16300.0)
        noise = NoiseModel(np.full(3, 1e-5, np.float32), np.full(3, 1e-8, np.float32))
        mesh = Mesh.of(lambda p: p + (6, 0), mosaic.shape)
        moved = Interpolated.of(mosaic, RGGB, levels, ONES, noise).moved(mesh)
        white = MOVED_LEVELS.white
        self.assertTrue((moved[31:39, 45:53] == white).all())
        self.assertTrue((moved[:, 115:] == MISSING).all())
        self.assertFalse((moved[:20] == white).any())


class HandHeld(FolderCase):
    exposures = tuple(Exposure(s) for s in (1 / 16, 1 / 4, 1.0, 4.0))

    def test_frames_are_found_and_light_is_true(self):
        scenes, _ = hand_held(0.35)
        merged = merge_frames(take(self.folder, scenes, self.exposures), reference=2)
        self.assertEqual(merged.report["set_aside"], [])
        self.assertTrue(merged.report["aligned"])
        self.assertGreater(max(f["shift"] for f in merged.report["frames"]), 1.5)
        inside = (slice(24, -24), slice(24, -24))
        known = merged.clipped[inside] == 0
        error = ((merged.rgb - scenes[2]) / merged.sigma)[inside][known]
        self.assertLess(np.median(np.abs(error)), 1.0)
        alone = merge_frames(take(self.folder / "alone", [scenes[2]], [Exposure(1.0)]))
        dark = (scenes[2][inside][..., 1] < 0.01) & known

        def rms(m):
            return float(np.sqrt(np.mean((m.rgb - scenes[2])[inside][dark] ** 2)))

        self.assertLess(rms(merged), 0.75 * rms(alone), "the brighter frames' light must count")

    def test_the_residual_is_a_twentieth_of_a_pixel(self):
        scenes, maps = hand_held(0.35, seed=9)
        found = align(light_frames(take(self.folder, scenes, self.exposures)), 2)
        points = np.stack(np.meshgrid(np.linspace(20, 540, 20), np.linspace(20, 360, 14)), -1).reshape(-1, 2)
        for k in (1, 3):
            with self.subTest(frame=k):
                away = np.hypot(*(found[k].mesh.at(points) - apply_homography(maps[k], points)).T)
                self.assertLess(np.median(away), 0.12)
                self.assertLess(found[k].error, 0.15)

    def test_a_tripod_set_is_not_touched(self):
        paths = take(self.folder, town(), self.exposures)
        with_, without = merge_frames(paths), merge_frames(paths, instructions=Instructions(align=False))
        self.assertFalse(with_.report["aligned"])
        np.testing.assert_array_equal(with_.rgb, without.rgb)
        np.testing.assert_array_equal(with_.sigma, without.sigma)

    def test_borders_filled_or_common(self):
        scenes, _ = hand_held(0.35)
        paths = take(self.folder, scenes, self.exposures)
        filled = merge_frames(paths, reference=2)
        common = merge_frames(paths, reference=2, instructions=Instructions(borders="common"))
        self.assertEqual(filled.shape, scenes[2].shape[:2])
        self.assertTrue(np.isfinite(filled.rgb).all())
        x, y, w, h = filled.report["common"]
        self.assertEqual(common.shape, (round(h * 384), round(w * 560)))
        top, left = round(y * 384), round(x * 560)
        np.testing.assert_array_equal(
            common.rgb, filled.rgb[top : top + common.shape[0], left : left + common.shape[1]]
        )


class Misfits(FolderCase):
    """Frames that do not belong are named, with what was done, and the rest is merged."""

    exposures = HandHeld.exposures

    def merged(self, scenes, **more):
        return merge_frames(take(self.folder, scenes, self.exposures, **more))

    def test_a_frame_of_another_view(self):
        scenes = [town()] * 4
        scenes[3] = np.ascontiguousarray(town()[:, ::-1])
        report = self.merged(scenes).report
        self.assertEqual(len(report["frames"]), 3)
        self.assertIn("frame-4.dng: does not fit", report["set_aside"][0])

    def test_the_reference_itself_may_be_the_odd_one(self):
        scenes = [town()] * 4
        scenes[1] = np.ascontiguousarray(town()[:, ::-1])
        report = self.merged(scenes).report
        self.assertEqual([f["name"] for f in report["frames"]], ["frame-1.dng", "frame-3.dng", "frame-4.dng"])

    def test_a_blurred_frame(self):
        import cv2

        scenes = [town()] * 4
        scenes[3] = cv2.GaussianBlur(town(), (0, 0), 4.0)
        self.assertIn("frame-4.dng: is blurred", self.merged(scenes).report["set_aside"][0])

    def test_a_fogged_frame(self):
        scenes = [town()] * 4
        scenes[3] = town() * 0.6 + 0.03
        aside = self.merged(scenes).report["set_aside"]
        self.assertEqual(len(aside), 1)
        self.assertIn("frame-4.dng: is fogged", aside[0])

    def test_the_lens_cap(self):
        scenes = [town()] * 4
        scenes[3] = np.zeros_like(town())
        report = self.merged(scenes).report
        self.assertIn("frame-4.dng: shows nothing but noise, as with the lens cap on", report["set_aside"][0])
        self.assertEqual(len(report["frames"]), 3)

    def test_times_that_lie_by_a_third_of_a_stop(self):
        real = [replace(e, shutter_error=1.26 if i == 3 else 1.0) for i, e in enumerate(self.exposures)]
        report = merge_frames(take(self.folder, town(), real)).report
        self.assertTrue(
            any("frame-4.dng: was exposed +0.33 EV off" in w for w in report["warnings"]), report["warnings"]
        )
        self.assertEqual(report["set_aside"], [])

    def test_orientation_flags_that_differ(self):
        paths = take(self.folder, town(), self.exposures[:3])
        paths += take(self.folder / "b", town(), self.exposures[3:], orientation=6, name="turned")
        merged = merge_frames(paths, reference=1)
        self.assertEqual(merged.shape, town().shape[:2])
        self.assertTrue(any("orientation flags differ" in w for w in merged.report["warnings"]))

    def test_a_broken_frame_among_good_ones(self):
        paths = take(self.folder, town(), self.exposures)
        paths[3].write_bytes(paths[3].read_bytes()[:3000])
        report = merge_frames(paths).report
        self.assertEqual(len(report["frames"]), 3)
        self.assertIn("frame-4.dng", report["set_aside"][0])
