"""The merge against known truth."""

import cv2
import numpy as np

from crenn.camera.sensor import Exposure, Sensor
from crenn.core.errors import CrennError, MismatchedFrames
from crenn.core.frames.raw import read_raw
from crenn.core.merge.instructions import Instructions
from crenn.core.merge.merge import merge_frames
from crenn.core.mosaic.noise import estimate_noise
from tests.support import BRACKET, FolderCase, night, ramp, take

CLEAN = Sensor(prnu=0.0, dsnu=0.0, hot_share=0.0, dark_current=0.0)
INSIDE = (slice(10, -10), slice(10, -10))


def bands(truth, low, high):
    """Columns of a grey ramp by whole stops."""
    stops = np.log2(truth[80, :, 1])
    for stop in range(low, high):
        columns = np.flatnonzero((stops >= stop) & (stops < stop + 1))
        yield stop, columns[(columns > 10) & (columns < truth.shape[1] - 10)]


class MergeOfARamp(FolderCase):
    def setUp(self):
        super().setUp()
        self.truth = ramp(low=-11.0, high=3.0)
        errors = (1.06, 0.97, 1.0, 1.04)
        self.exposures = [Exposure(e.seconds, shutter_error=x) for e, x in zip(BRACKET, errors)]
        self.map = merge_frames(take(self.folder, self.truth, self.exposures), reference=2)

    def test_ratios_are_found_to_a_thousandth_of_a_stop(self):
        for frame, exposure in zip(self.map.report["frames"], self.exposures):
            true = np.log2(exposure.seconds * exposure.shutter_error)
            self.assertAlmostEqual(frame["ev"], true, delta=2e-3, msg=frame["name"])

    def test_light_is_true_and_sigma_predicts_the_error(self):
        for stop, columns in bands(self.truth, -9, 2):
            error = self.map.rgb[10:-10, columns] - self.truth[10:-10, columns]
            with self.subTest(stop=stop):
                ratio = self.map.rgb[10:-10, columns].mean() / self.truth[10:-10, columns].mean()
                self.assertAlmostEqual(ratio, 1.0, delta=0.004)
                spread = (error / self.map.sigma[10:-10, columns]).std()
                self.assertTrue(0.9 < spread < 1.1, f"{spread:.3f}")

    def test_no_step_where_frames_hand_over(self):
        # Column means of a smooth ramp follow it to well within the noise of a single pixel.
        column = (self.map.rgb[10:-10, 30:-30] / self.truth[10:-10, 30:-30]).mean((0, 2))
        smooth = np.convolve(column, np.ones(9) / 9, "valid")
        noise = (self.map.sigma / self.truth)[80, 30:-30].mean(1)[4:-4]
        self.assertTrue((np.abs(smooth - 1) < 0.5 * noise + 1e-3).all())

    def test_efficiency_against_ideal_weights(self):
        # Ideal: every unclipped sample with its true variance; the demosaic averages on top, equally for both.
        single = merge_frames(take(self.folder / "one", self.truth, [Exposure(1.0)]))
        for stop, columns in bands(self.truth, -8, -1):
            light = self.truth[80, columns, 1].mean()
            information = 0.0
            for e in self.exposures:
                gain = e.seconds * e.shutter_error
                slope, offset = CLEAN.noise_profile(100)
                if light * gain < 0.8:
                    information += gain**2 / (slope * gain * light + offset)
            slope, offset = CLEAN.noise_profile(100)
            gain_possible = (slope * light + offset) * information
            got = (single.rgb[10:-10, columns] - self.truth[10:-10, columns]).var() / (
                (self.map.rgb[10:-10, columns] - self.truth[10:-10, columns]).var()
            )
            with self.subTest(stop=stop):
                self.assertGreater(got / gain_possible, 0.9)

    def test_source_follows_the_light(self):
        source = self.map.source[80]
        self.assertEqual(source[20], 3)
        self.assertEqual(source[-20], 0)
        self.assertTrue((np.diff(np.convolve(source.astype(float), np.ones(15) / 15, "valid")) < 0.2).all())


class Merge(FolderCase):
    def test_every_bayer_pattern(self):
        truth = night()
        for pattern in ("RGGB", "BGGR", "GRBG", "GBRG"):
            with self.subTest(pattern=pattern):
                sensor = Sensor(pattern=pattern, prnu=0.0, dsnu=0.0, hot_share=0.0, dark_current=0.0)
                merged = merge_frames(take(self.folder / pattern, truth, sensor=sensor), reference=2)
                sky = (slice(10, 150), slice(10, -10))
                self.assertLess(np.abs(merged.rgb[sky].mean((0, 1)) / truth[sky].mean((0, 1)) - 1).max(), 0.004)

    def test_a_sensor_with_a_mosaic_of_six_by_six(self):
        six = "GGRGGBGGBGGRBRGRBGGGBGGRGGRGGBRBGBRG"
        sensor = Sensor(pattern=six, prnu=0.0, dsnu=0.0, hot_share=0.0, dark_current=0.0)
        truth = night(640, 960)
        merged = merge_frames(take(self.folder, truth, sensor=sensor), reference=2)
        sky = (slice(10, 300), slice(10, -10))
        self.assertLess(np.abs(merged.rgb[sky].mean((0, 1)) / truth[sky].mean((0, 1)) - 1).max(), 0.03)
        self.assertIn("no Bayer mosaic", merged.report["warnings"][0])
        with self.assertRaisesRegex(CrennError, "480×480.*from 512 pixels"):
            merge_frames(take(self.folder, night(480, 480), [Exposure(1.0)], sensor=sensor))

    def test_grey_stays_grey_on_six_by_six_and_lamps_do_not_turn_magenta(self):
        six = "GGRGGBGGBGGRBRGRBGGGBGGRGGRGGBRBGBRG"
        sensor = Sensor(pattern=six, prnu=0.0, dsnu=0.0, hot_share=0.0, dark_current=0.0)
        grain = np.random.default_rng(3).standard_normal((512, 544)).astype(np.float32)
        grey = np.exp2(cv2.GaussianBlur(grain, (0, 0), 1.2) * 3 - 3)
        grey[100:140, 100:160] = 4.0
        truth = np.repeat(grey[..., None], 3, -1)
        merged = merge_frames(take(self.folder, truth, [Exposure(1.0)], sensor=sensor))
        ground = np.s_[160:-10, 10:-10]
        # LibRaw's demosaic does as well if it is given balanced light; without it grey edges turn coloured.
        np.testing.assert_array_less(np.abs(np.log2(merged.rgb[ground] / truth[ground])).mean((0, 1)), 0.08)
        self.assertLess(float(np.abs(np.log2(merged.rgb[ground][..., 0] / merged.rgb[ground][..., 2])).mean()), 0.11)
        lamp = merged.rgb[110:130, 110:150].reshape(-1, 3)
        self.assertTrue((merged.clipped[110:130, 110:150] == 7).all())
        self.assertLess(float((lamp.max(1) / lamp.min(1)).max()), 1.3)

    def test_reference_decides_the_scale(self):
        paths = take(self.folder, ramp(64, 256))
        one, two = (merge_frames(paths, reference=r).rgb[:, 60:200].mean() for r in (1, 2))
        self.assertAlmostEqual(two / one, 4.0, delta=0.01)

    def test_a_single_frame_goes_the_same_way(self):
        truth = ramp(64, 256, -8, -0.5)
        merged = merge_frames(take(self.folder, truth, [Exposure(1.0)]))
        self.assertAlmostEqual(float((merged.rgb[10:-10, 80:-10] / truth[10:-10, 80:-10]).mean()), 1.0, delta=0.005)
        self.assertEqual(merged.report["reference"], 0)

    def test_light_clipped_in_every_channel_is_near_neutral_and_told(self):
        truth = np.full((96, 96, 3), 0.1, np.float32)
        truth[30:60, 30:60] = 50.0
        merged = merge_frames(take(self.folder, truth, [Exposure(1.0)]))
        lamp = merged.rgb[38:52, 38:52].reshape(-1, 3)
        self.assertLess((lamp.max(1) / lamp.min(1)).max(), 1.6)
        self.assertTrue((merged.clipped[40:50, 40:50] == 7).all())
        self.assertTrue((merged.clipped[:20] == 0).all())
        self.assertGreater(merged.report["clipped_share"][1], 0.08)

    def test_one_lost_channel_follows_the_others(self):
        truth = np.zeros((96, 160, 3), np.float32)
        level = np.linspace(0.1, 2.4, 160, dtype=np.float32)
        truth[:] = level[None, :, None] * np.array([1.25, 0.8, 0.4], np.float32)
        merged = merge_frames(take(self.folder, truth, [Exposure(1.0)]))
        lost = merged.clipped[48] > 0
        part = np.flatnonzero(lost & (merged.clipped[48] != 7))[8:-12]
        self.assertGreater(part.size, 10)
        stops = np.log2(merged.rgb[20:-20, part] / truth[20:-20, part])
        self.assertLess(np.sqrt((stops**2).mean()), 0.1)

    def test_what_moved_comes_from_one_frame(self):
        scenes = []
        for index in range(4):
            rgb = np.full((160, 240, 3), 0.05, np.float32)
            rgb[60:100, 40 + 30 * index : 80 + 30 * index] = 0.3
            scenes.append(rgb)
        paths = take(self.folder, scenes)
        merged, mixed = (
            merge_frames(paths, reference=2),
            merge_frames(paths, reference=2, instructions=Instructions(deghost=False)),
        )
        truth = scenes[2][10:-10, 10:-10]

        def wrong(radiance):
            stops = np.log2(np.maximum(radiance.rgb[10:-10, 10:-10], 1e-4) / truth)
            return float((np.abs(stops).max(-1) > 0.3).mean())

        self.assertGreater(wrong(mixed), 0.03)
        self.assertLess(wrong(merged), 0.01)
        self.assertTrue((merged.source[130:150] == 3).all(), "where nothing moved the brightest frame still leads")

    def test_hot_pixels_are_mended_and_stars_are_not(self):
        y, x = np.mgrid[:120, :160]
        truth = np.full((120, 160, 3), 0.01, np.float32)
        for cx, cy in ((40.3, 40.6), (100.0, 60.0), (70.7, 90.2)):
            truth += (0.3 * np.exp(-((x - cx) ** 2 + (y - cy) ** 2) / (2 * 0.7**2)))[..., None].astype(np.float32)
        hot = Sensor(prnu=0.0, dsnu=0.0, dark_current=0.0, hot_share=1e-3)
        merged = merge_frames(take(self.folder, truth, [Exposure(4.0)], sensor=hot))
        dark = np.ones((120, 160), bool)
        for cx, cy in ((40, 41), (100, 60), (71, 90)):
            dark[cy - 6 : cy + 7, cx - 6 : cx + 7] = False
            clean = merge_frames(take(self.folder / f"c{cx}", truth, [Exposure(4.0)]))
            peak, before = (
                merged.rgb[cy - 2 : cy + 3, cx - 2 : cx + 3].max(),
                clean.rgb[cy - 2 : cy + 3, cx - 2 : cx + 3].max(),
            )
            self.assertGreater(peak, 0.9 * before)
        self.assertGreater(merged.report["hot_pixels"], 5)
        self.assertLess((np.abs(merged.rgb - 0.04).max(-1) > 0.04)[dark][500:].mean(), 2e-3)

    def test_noise_is_estimated_where_the_file_does_not_tell(self):
        for iso in (100, 1600):
            frame = read_raw(
                take(self.folder / str(iso), night(480, 640), [Exposure(1.0 * 100 / iso, iso=iso)], profile=False)[0]
            )
            self.assertIsNone(frame.noise)
            found = estimate_noise(frame.mosaic, frame.pattern, frame.black, frame.white)
            slope, offset = CLEAN.noise_profile(iso)
            for light in (0.06, 0.2):
                with self.subTest(iso=iso, light=light):
                    self.assertAlmostEqual(found.variance(light) / (slope * light + offset), 1.0, delta=0.25)

    def test_the_picture_stands_as_the_camera_was_held(self):
        truth = night(96, 160)
        level = merge_frames(take(self.folder, truth)).rgb
        for orientation, turns in ((3, 2), (6, 3), (8, 1)):
            turned = merge_frames(take(self.folder / str(orientation), truth, orientation=orientation)).rgb
            np.testing.assert_allclose(turned, np.rot90(level, turns), rtol=1e-5, atol=1e-6)


class BadInput(FolderCase):
    def fault(self, paths, **more) -> str:
        with self.assertRaises(CrennError) as caught:
            merge_frames(paths, **more)
        return str(caught.exception)

    def test_a_text_file(self):
        path = self.folder / "notes.dng"
        path.write_text("no picture")
        self.assertRegex(self.fault([path]), "notes.dng: is not a raw file")

    def test_a_missing_file(self):
        self.assertIn("absent.dng", self.fault([self.folder / "absent.dng"]))

    def test_a_truncated_frame(self):
        path = take(self.folder, ramp(200, 300), [Exposure(1.0)])[0]
        path.write_bytes(path.read_bytes()[:60_000])
        self.assertRegex(self.fault([path]), "frame-1.dng: is damaged.*Copy it again")

    def test_a_frame_of_one_pixel(self):
        path = take(self.folder, np.ones((1, 1, 3), np.float32), [Exposure(1.0)])[0]
        self.assertIn("frame-1.dng", self.fault([path]))

    def test_another_size_is_set_aside_and_the_rest_merged(self):
        paths = take(self.folder, ramp(64, 256)) + take(self.folder, ramp(96, 256), [Exposure(2.0)], name="other")
        merged = merge_frames(paths)
        self.assertEqual(len(merged.report["frames"]), 4)
        self.assertRegex(merged.report["set_aside"][0], "other-1.dng: is 256×96, while frame-1.dng is 256×64")

    def test_another_camera_is_set_aside(self):
        paths = take(self.folder, ramp(64, 256)) + take(
            self.folder, ramp(64, 256), [Exposure(2.0)], name="other", model="T2"
        )
        self.assertIn("another camera", merge_frames(paths).report["set_aside"][0])

    def test_a_missing_exposure_time(self):
        paths = take(self.folder, ramp(64, 256)) + take(
            self.folder, ramp(64, 256), [Exposure(2.0)], name="bare", seconds=None
        )
        merged = merge_frames(paths)
        self.assertIn("bare-1.dng: has no exposure time", merged.report["set_aside"][0])
        self.assertRegex(self.fault(paths, reference=4), "reference frame cannot be merged")

    def test_source_keeps_the_index_of_the_files_given(self):
        paths = take(self.folder, ramp(64, 256), [Exposure(2.0)], name="bare", seconds=None) + take(
            self.folder, ramp(64, 256)
        )
        self.assertEqual(set(np.unique(merge_frames(paths).source)), {1, 2, 3, 4})

    def test_equal_frames_are_averaged_and_it_is_said(self):
        truth = ramp(64, 256, -8, -1)
        four = merge_frames(take(self.folder, truth, [Exposure(1.0)] * 4))
        one = merge_frames(take(self.folder / "one", truth, [Exposure(1.0)]))
        gain = (one.rgb - truth)[10:-10, 20:-10].std() / (four.rgb - truth)[10:-10, 20:-10].std()
        self.assertAlmostEqual(gain, 2.0, delta=0.12)
        self.assertIn("same exposure", four.report["warnings"][-1])

    def test_all_clipped(self):
        merged = merge_frames(take(self.folder, np.full((64, 64, 3), 500.0, np.float32)))
        self.assertTrue(np.isfinite(merged.rgb).all())
        self.assertEqual(merged.report["clipped_share"], [1.0, 1.0, 1.0])

    def test_all_black(self):
        merged = merge_frames(take(self.folder, np.zeros((64, 64, 3), np.float32)))
        self.assertTrue(np.isfinite(merged.rgb).all() and np.isfinite(merged.sigma).all())

    def test_no_frames_and_a_wrong_reference(self):
        with self.assertRaises(MismatchedFrames):
            merge_frames([])
        self.assertIn("Reference 9", self.fault(take(self.folder, ramp(64, 64)), reference=9))
