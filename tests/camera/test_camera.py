"""The simulated camera: real files, true noise, true radiance."""

import unittest

import numpy as np
import rawpy

from crenn.camera.scenes import SCENES
from crenn.camera.scenes.scene import where_it_drifts
from crenn.camera.sensor import Exposure, Sensor
from crenn.camera.shoot import SHIPPED_SIZE, _Light, _read_light, shoot
from crenn.core.colorimetry.spaces import luminance
from crenn.core.errors import CrennError
from crenn.core.frames.metadata import read_metadata
from crenn.core.merge.merge import merge_frames
from crenn.core.radiance import read_exr
from tests.support import FolderCase, ramp, take


class SensorNoise(unittest.TestCase):
    def test_noise_follows_the_profile_it_tells(self):
        for iso in (100, 3200):
            sensor = Sensor(prnu=0.0, dsnu=0.0, hot_share=0.0, dark_current=0.0)
            slope, offset = sensor.noise_profile(iso)
            for light in (0.01, 0.4):
                even = np.full((200, 300, 3), light * 100 / iso, np.float32)
                raw = sensor.expose(even, Exposure(1.0, iso=iso), 5).astype(float)
                x = (raw - sensor.black) / (sensor.white - sensor.black)
                green = x[0::2, 1::2]
                with self.subTest(iso=iso, light=light):
                    self.assertAlmostEqual(green.mean(), light, delta=light * 0.02)
                    self.assertAlmostEqual(green.var() / (slope * light + offset), 1.0, delta=0.05)

    def test_long_exposures_have_hot_pixels(self):
        sensor = Sensor(hot_share=1e-3)
        raw = sensor.expose(np.zeros((200, 300, 3), np.float32), Exposure(15.0), 1)
        self.assertTrue(20 < (raw > sensor.black + 200).sum() < 120)


class Files(FolderCase):
    def test_libraw_reads_what_was_written(self):
        path = take(self.folder, ramp(64, 96), [Exposure(0.25, 5.6, 400)])[0]
        metadata = read_metadata(path)
        self.assertAlmostEqual(metadata.seconds, 0.25, places=6)
        self.assertAlmostEqual(metadata.aperture, 5.6, places=3)
        self.assertEqual((metadata.iso, metadata.model), (400, "Simulated camera T1"))
        self.assertAlmostEqual(metadata.noise_profile[1][0], Sensor().noise_profile(400)[0], places=12)
        with rawpy.imread(str(path)) as raw:
            self.assertEqual(raw.white_level, 16383)
            self.assertEqual(raw.postprocess().shape, (64, 96, 3))


class Shooting(FolderCase):
    def test_merged_frames_meet_the_truth(self):
        shot = shoot("lock-basin", self.folder, (480, 320), seed=3)
        self.assertEqual(len(shot.frames), 5)
        merged = merge_frames(shot.frames, reference=shot.reference)
        truth = read_exr(shot.truth).rgb
        self.assertEqual(truth.shape, merged.rgb.shape)
        sky = (slice(10, 60), slice(10, -10))
        self.assertLess(np.abs(merged.rgb[sky].mean((0, 1)) / truth[sky].mean((0, 1)) - 1).max(), 0.01)
        spread = np.log2(luminance(truth)[truth.min(-1) > 0])
        self.assertGreater(np.ptp(np.quantile(spread, [0.0005, 0.9999])), 11)

    def test_same_seed_same_frames(self):
        one, two = (
            shoot("ferry-hall", self.folder / n, (96, 64), seed=9, truth=False).frames[0].read_bytes() for n in "ab"
        )
        self.assertEqual(one, two)

    def test_faults(self):
        for name, size, words in (
            ("harbour", (96, 64), "harbour"),
            ("ferry-hall", (97, 64), "97×64"),
            ("ferry-hall", (2, 2), "2×2"),
        ):
            with self.assertRaisesRegex(CrennError, words):
                shoot(name, self.folder, size)

    def test_what_drifts_leaves_nothing_of_other_frames(self):
        """Beside a bright window that drifts, a dark wall is that of its own moment."""
        scene = SCENES["lock-basin"]()
        light = _Light(scene, SHIPPED_SIZE)
        own, _ = _read_light(scene.name, 1)
        exposure, start = scene.exposures[1], scene.starts[1]
        field, _ = light._field(start, exposure.seconds)
        camera = (*scene.camera[:5], light.wide.tangent, 0.0)
        drifting = where_it_drifts(scene, camera, own.shape[1], own.shape[0])
        self.assertTrue(0.02 < drifting.mean() < 0.3)
        np.testing.assert_array_equal(field[drifting], own[drifting])
        # What stands still is shared: the same in all frames, to the last bit.
        other, _ = _Light(scene, SHIPPED_SIZE)._field(scene.starts[3], scene.exposures[3].seconds)
        sky = np.s_[20:300, 100:2900]
        np.testing.assert_array_equal(field[sky], other[sky])

    def test_every_scene_has_exposures_and_starts(self):
        for name, build in SCENES.items():
            scene = build()
            self.assertEqual(scene.name, name)
            self.assertEqual(len(scene.exposures), len(scene.starts))
