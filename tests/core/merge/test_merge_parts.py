"""The parts of the merge, each against known truth."""

import unittest

import numpy as np

from crenn.camera.sensor import Exposure, Sensor
from crenn.core.frames.raw import read_raw
from crenn.core.merge.combine import combine
from crenn.core.merge.exposures import measure_ratio, saturation_level
from crenn.core.merge.ghosts import CELL, find_motion
from crenn.core.mosaic.clipped import rebuild_clipped
from crenn.core.mosaic.demosaic import demosaic
from crenn.core.mosaic.noise import NoiseModel
from crenn.core.report.merging import BIN, light_statistics
from tests.support import RGGB, FolderCase, light_frame, light_frames, night, ramp, take

CLEAN = Sensor(prnu=0.0, dsnu=0.0, hot_share=0.0, dark_current=0.0)
PROFILE = NoiseModel.from_profile([CLEAN.noise_profile(100)] * 3)


class Demosaic(unittest.TestCase):
    def mosaic_of(self, rgb: np.ndarray) -> np.ndarray:
        height, width = rgb.shape[:2]
        colours = np.tile(RGGB, (height // 2, width // 2))
        return np.take_along_axis(rgb, colours[..., None].astype(int), 2)[..., 0].astype(np.float32)

    def test_even_ground_is_exact(self):
        rgb = np.broadcast_to(np.array([0.3, 0.2, 0.1], np.float32), (40, 60, 3))
        out, _ = demosaic(self.mosaic_of(rgb), np.full((40, 60), 1e-8, np.float32), RGGB, np.eye(3, dtype=np.float32))
        np.testing.assert_allclose(out, rgb, rtol=2e-4)

    def test_a_grey_edge_shows_little_false_colour(self):
        rgb = np.full((60, 80, 3), 0.02, np.float32)
        rgb[:, 40:] = 0.8
        rgb[20:40, 10:30] = 0.8
        out, _ = demosaic(self.mosaic_of(rgb), np.full((60, 80), 1e-9, np.float32), RGGB, np.eye(3, dtype=np.float32))
        colour = np.ptp(np.log2(np.maximum(out, 1e-4)), axis=-1)[4:-4, 4:-4]
        self.assertLess(colour.mean(), 0.05)

    def test_better_than_bilinear_on_fine_detail(self):
        y, x = np.mgrid[:120, :160].astype(np.float32)
        level = 0.3 + 0.15 * np.sin(x * 0.9) * np.cos(y * 0.5) + 0.1 * np.sin((x + y) * 1.1)
        rgb = level[..., None] * np.array([1.0, 0.9, 0.7], np.float32)
        mosaic = self.mosaic_of(rgb)
        out, _ = demosaic(mosaic, np.full(mosaic.shape, 1e-9, np.float32), RGGB, np.eye(3, dtype=np.float32))
        bilinear = np.zeros_like(rgb)
        import cv2

        for c in range(3):
            sites = (np.tile(RGGB, (60, 80)) == c).astype(np.float32)
            kernel = np.array([[1, 2, 1], [2, 4, 2], [1, 2, 1]], np.float32)
            bilinear[..., c] = cv2.filter2D(mosaic * sites, -1, kernel) / cv2.filter2D(sites, -1, kernel)
        inside = (slice(8, -8), slice(8, -8))
        ours = np.sqrt(((out - rgb)[inside] ** 2).mean())
        self.assertLess(ours, 0.35 * np.sqrt(((bilinear - rgb)[inside] ** 2).mean()))

    def test_a_lamp_does_not_ring_into_the_dark(self):
        rgb = np.full((60, 60, 3), 0.001, np.float32)
        rgb[26:34, 26:34] = 10.0
        out, _ = demosaic(self.mosaic_of(rgb), np.full((60, 60), 1e-9, np.float32), RGGB, np.eye(3, dtype=np.float32))
        dark = np.ones((60, 60), bool)
        dark[22:38, 22:38] = False
        self.assertGreater(out[dark].min(), 0.0005)
        self.assertLess(out[dark].max(), 0.002)

    def test_sigma_of_pure_noise(self):
        rng = np.random.default_rng(2)
        light = (0.2 + 0.003 * rng.standard_normal((300, 400))).astype(np.float32)
        matrix = np.array([[1.6, -0.5, -0.1], [-0.2, 1.5, -0.3], [0.0, -0.6, 1.6]], np.float32)
        out, sigma = demosaic(light, np.full(light.shape, 0.003**2, np.float32), RGGB, matrix)
        for c in range(3):
            for row in range(2):
                for column in range(2):
                    spread = (
                        (out[10 + row : -10 : 2, 10 + column : -10 : 2, c] - 0.2)
                        / sigma[10 + row : -10 : 2, 10 + column : -10 : 2, c]
                    ).std()
                    self.assertTrue(0.92 < spread < 1.08, (c, row, column, spread))


class Exposures(FolderCase):
    def test_ratio_and_its_error(self):
        exposures = [Exposure(0.25), Exposure(1.0, shutter_error=1.12)]
        dark, bright = light_frames(take(self.folder, night(), exposures))
        found = measure_ratio(dark, bright, 4.0)
        self.assertAlmostEqual(np.log2(found.refined), np.log2(4.48), delta=0.003)
        self.assertLess(abs(np.log2(found.refined / 4.48)), 6 * found.error + 5e-4)

    def test_what_moved_has_no_say(self):
        one = night()
        two = one.copy()
        two[150:, :200] *= 1.7
        dark, bright = light_frames(take(self.folder, [one, two], [Exposure(0.25), Exposure(1.0)]))
        self.assertAlmostEqual(np.log2(measure_ratio(dark, bright, 4.0).refined), 2.0, delta=0.003)

    def test_without_shared_light_the_metadata_stay(self):
        light = [night(), np.full((320, 480, 3), 30.0, np.float32)]
        dark, bright = light_frames(take(self.folder, light, [Exposure(1 / 4000), Exposure(1.0)]))
        found = measure_ratio(dark, bright, 4000.0)
        self.assertEqual((found.refined, found.error), (4000.0, None))

    def test_a_sensor_that_clips_below_its_white_level(self):
        frame = read_raw(take(self.folder, night() * 4, [Exposure(4.0)])[0])
        self.assertGreater(saturation_level(frame), 16300)
        frame.mosaic = np.minimum(frame.mosaic, 15000)
        self.assertTrue(14900 < saturation_level(frame) < 15000)

    def test_a_bright_frame_without_clipping_keeps_its_white_level(self):
        frame = read_raw(take(self.folder, ramp(64, 512, -6, -0.6), [Exposure(1.0)])[0])
        self.assertGreater(saturation_level(frame), 16300)


class Combining(unittest.TestCase):
    def combine(self, stack, gains, still=None):
        return combine(np.stack(stack), [light_frame(m, PROFILE, g) for m, g in zip(stack, gains)], still)

    def frame(self, light: float, gain: float) -> np.ndarray:
        return np.full((16, 16), min(round(512 + light * gain * (16383 - 512)), 16383), np.uint16)

    def test_a_clipped_frame_has_no_say(self):
        merged = self.combine([self.frame(0.5, 1.0), self.frame(0.5, 4.0)], [1.0, 4.0])
        np.testing.assert_allclose(merged.light, 0.5, rtol=1e-3)
        self.assertTrue((merged.source == 0).all())
        self.assertFalse(merged.clipped.any())

    def test_the_brighter_frame_weighs_more(self):
        merged = self.combine([self.frame(0.1, 1.0), self.frame(0.12, 4.0)], [1.0, 4.0])
        self.assertTrue((np.abs(merged.light - 0.116) < 0.002).all())
        self.assertTrue((merged.source == 1).all())

    def test_clipped_in_every_frame_is_told(self):
        merged = self.combine([self.frame(3.0, 1.0), self.frame(3.0, 4.0)], [1.0, 4.0])
        self.assertTrue(merged.clipped.all())

    def test_silenced_frames_have_no_say(self):
        still = np.full((2, 4, 4), 255, np.uint8)
        still[1] = 0
        merged = self.combine([self.frame(0.1, 1.0), self.frame(0.2, 4.0)], [1.0, 4.0], still)
        np.testing.assert_allclose(merged.light, 0.1, rtol=1e-2)

    def test_no_light_is_pulled_down_where_the_brighter_frame_begins_to_clip(self):
        # Were samples left out as they clip, those that noise carried below the edge would remain alone.
        rng = np.random.default_rng(5)
        slope, offset = CLEAN.noise_profile(6400)
        noise = NoiseModel.from_profile([(slope, offset)] * 3)
        for light in np.linspace(0.21, 0.27, 9):
            stack = []
            for gain in (1.0, 4.0):
                seen = light * gain + np.sqrt(slope * light * gain + offset) * rng.standard_normal((240, 240))
                stack.append(np.clip(np.rint(512 + seen * (16383 - 512)), 0, 16383).astype(np.uint16))
            merged = combine(np.stack(stack), [light_frame(m, noise, g) for m, g in zip(stack, (1.0, 4.0))])
            error = float((merged.light - light).mean()) / float(np.sqrt(slope * light + offset))
            self.assertLess(abs(error), 0.12, f"at {light:.3f}")

    def test_the_variance_is_that_of_the_mean(self):
        rng = np.random.default_rng(4)
        light, gains = 0.05, [1.0, 4.0]
        slope, offset = CLEAN.noise_profile(100)
        stack = []
        for gain in gains:
            sigma = np.sqrt(slope * light * gain + offset)
            stack.append(
                np.rint(512 + (light * gain + sigma * rng.standard_normal((200, 200))) * (16383 - 512)).astype(
                    np.uint16
                )
            )
        merged = self.combine(stack, gains)
        self.assertAlmostEqual(float(merged.light.var() / merged.variance.mean()), 1.0, delta=0.03)


class Ghosts(unittest.TestCase):
    def share(self, first, second):
        frames = [light_frame(m, PROFILE) for m in (first, second)]
        return find_motion(np.stack([first, second]), frames, 0).share

    def test_noise_is_not_motion(self):
        rng = np.random.default_rng(1)
        slope, offset = CLEAN.noise_profile(100)
        frames = [
            np.rint(512 + (0.02 + np.sqrt(slope * 0.02 + offset) * rng.standard_normal((160, 240))) * 15871).astype(
                np.uint16
            )
            for _ in range(2)
        ]
        self.assertGreater((self.share(*frames)[1] == 255).mean(), 0.999)

    def test_a_thing_that_moved_is_found_with_a_margin(self):
        one = np.full((160, 240), 1000, np.uint16)
        two = one.copy()
        two[40:80, 80:120] = 2000
        share = self.share(one, two)
        self.assertTrue((share[0] == 255).all(), "the reference always speaks")
        self.assertTrue((share[1][40 // CELL : 80 // CELL, 80 // CELL : 120 // CELL] == 0).all())
        self.assertEqual(share[1][0, 0], 255)
        self.assertLess((share[1] < 255).mean(), 0.1)


class Clipped(unittest.TestCase):
    def test_nothing_clipped_nothing_changed(self):
        light = np.random.default_rng(0).random((20, 20)).astype(np.float32)
        before = light.copy()
        self.assertEqual(rebuild_clipped(light, np.zeros((20, 20), bool), RGGB), 0)
        np.testing.assert_array_equal(light, before)

    def test_never_below_what_was_recorded(self):
        rng = np.random.default_rng(5)
        light = rng.random((40, 60)).astype(np.float32)
        clipped = light > 0.8
        before = light.copy()
        rebuild_clipped(light, clipped, RGGB)
        self.assertTrue((light[clipped] >= before[clipped] - 1e-6).all())
        np.testing.assert_array_equal(light[~clipped], before[~clipped])

    def test_a_lost_green_follows_red_and_blue(self):
        light = np.zeros((80, 80), np.float32)
        y = np.linspace(0.4, 1.6, 80, dtype=np.float32)[:, None]
        for row in range(2):
            for column in range(2):
                light[row::2, column::2] = (y * (0.5, 1.0, 0.4)[RGGB[row, column]])[row::2]
        truth = light.copy()
        clipped = (light >= 1.0) & (np.tile(RGGB, (40, 40)) == 1)
        light[clipped] = 1.0
        rebuild_clipped(light, clipped, RGGB)
        self.assertLess(np.abs(np.log2(light[4:-4, 4:-4] / truth[4:-4, 4:-4])).max(), 0.15)

    def test_two_lost_follow_the_third(self):
        # A glow in the colour of its surroundings, of which blue alone is left in the middle.
        y, x = np.mgrid[:96, :96].astype(np.float32)
        glow = 0.2 + 3.0 * np.exp(-((y - 48) ** 2 + (x - 48) ** 2) / 400)
        truth = glow * np.array([1.0, 0.8, 0.25], np.float32)[np.tile(RGGB, (48, 48))]
        clipped = truth >= 1.0
        light = np.minimum(truth, 1.0).astype(np.float32)
        self.assertEqual(rebuild_clipped(light, clipped, RGGB), int(clipped.sum()))
        stops = np.log2(light / truth)[clipped]
        self.assertGreater(clipped.mean(), 0.05)
        self.assertLess(np.sqrt((stops**2).mean()), 0.12)


class Lost(unittest.TestCase):
    """Holes where every channel is lost: discs of even clipped light."""

    def rebuilt(self, radius: float) -> tuple[np.ndarray, np.ndarray]:
        y, x = np.mgrid[:600, :900]
        inside = np.hypot(x - 450, y - 300) < radius
        light = np.where(inside, 1.0, 0.05).astype(np.float32)
        rebuild_clipped(light, inside.copy(), RGGB)
        return np.log2(light), inside

    def test_a_lamp_rises_smoothly_to_its_middle(self):
        stops, inside = self.rebuilt(8)
        middle = stops[296:304, 446:454].mean()
        self.assertGreater(middle, 1.2)
        self.assertLess(middle, 4.0)
        # Taken over whole tiles, each ring is no darker than the one outside it.
        quads = stops.reshape(300, 2, 450, 2).mean((1, 3))[150, 221:230]
        self.assertEqual(quads.argmax(), 4)
        self.assertTrue((np.diff(quads[:5]) >= -0.05).all() and (np.diff(quads[4:]) <= 0.05).all())
        self.assertTrue((stops[inside] >= -1e-6).all())

    def test_a_window_stays_a_window(self):
        stops, inside = self.rebuilt(200)
        self.assertLess(stops[inside].max(), 0.7)

    def test_the_smaller_the_brighter(self):
        heights = [float(np.median(stops[inside])) for stops, inside in map(self.rebuilt, (4, 8, 12, 150))]
        self.assertEqual(heights, sorted(heights, reverse=True))
        self.assertGreater(heights[0], 1.0)
        self.assertLess(heights[3], 0.4)

    def test_what_the_border_cuts_goes_on(self):
        light = np.full((200, 300), 1.0, np.float32)
        light[:, 100:] = 0.05
        clipped = light == 1.0
        rebuild_clipped(light, clipped, RGGB)
        self.assertGreaterEqual(light[100, 2], light[100, 60] - 1e-3)


class Statistics(unittest.TestCase):
    def test_histogram_range_and_horizon(self):
        rgb = ramp(40, 600, -10, 0)
        sigma = np.full_like(rgb, 2.0**-7 / 4 / np.sqrt(0.2627**2 + 0.678**2 + 0.0593**2))
        found = light_statistics(rgb, sigma, np.zeros(rgb.shape[:2], np.uint8))
        self.assertAlmostEqual(sum(found["histogram"]), 1.0, places=5)
        self.assertAlmostEqual(found["low_stop"], -10, delta=0.1)
        self.assertAlmostEqual(found["high_stop"], 0, delta=0.1)
        self.assertAlmostEqual(found["noise_horizon"], -7, delta=2 * BIN)

    def test_clipped_light_is_counted_where_it_stands(self):
        rgb = ramp(40, 600, -10, 0)
        clipped = (rgb[..., 0] > 0.5).astype(np.uint8)
        found = light_statistics(rgb, None, clipped)
        self.assertAlmostEqual(sum(found["clipped_histogram"]), 0.1, delta=0.01)
        self.assertEqual(sum(found["clipped_histogram"][:40]), 0)
