"""Parts of stacking on their own: mosaics on disk, the border of sky and ground, the brush, hot sites, calibration."""

import errno
import unittest
from unittest import mock

import numpy as np

from crenn.core.align.horizon import find_ground, painted, snapped
from crenn.core.align.proxy import levels_of
from crenn.core.errors import CrennError
from crenn.core.merge import mosaics
from crenn.core.merge.brush import on_sensor, stroke_mask
from crenn.core.merge.calibrate import mend_sites, vote_hot
from crenn.core.merge.instructions import Instructions, Stroke
from crenn.core.merge.reduce import median_of
from crenn.core.mosaic.levels import Levels
from crenn.core.mosaic.noise import NoiseModel
from crenn.core.report.coverage import Measured, cover
from tests.support import RGGB, light_frame


class OnDisk(unittest.TestCase):
    def setUp(self):
        kept = mosaics._IN_MEMORY
        self.addCleanup(setattr, mosaics, "_IN_MEMORY", kept)
        self.frames = [np.random.default_rng(k).integers(0, 60000, (40, 60)).astype(np.uint16) for k in range(4)]

    def test_memory_and_disk_give_the_same(self):
        for most in (2**30, 0):
            mosaics._IN_MEMORY = most
            with self.subTest(most=most), mosaics.Mosaics(4, (40, 60)) as kept:
                for k, frame in enumerate(self.frames):
                    kept.put(k, frame)
                np.testing.assert_array_equal(kept.get(2), self.frames[2])
                np.testing.assert_array_equal(kept.band(7, 19), np.stack(self.frames)[:, 7:19])

    def test_the_folder_is_gone_afterwards(self):
        mosaics._IN_MEMORY = 0
        with mosaics.Mosaics(2, (40, 60)) as kept:
            folder = kept._folder
            self.assertTrue(folder.exists())
        self.assertFalse(folder.exists())

    def test_a_mosaic_waits_on_disk_without_a_name(self):
        kept = mosaics.on_disk(self.frames[1])
        mosaics.release_pages(kept)
        np.testing.assert_array_equal(kept, self.frames[1])

    def test_a_full_disk_is_told_with_its_remedy(self):
        mosaics._IN_MEMORY = 0
        with mosaics.Mosaics(2, (40, 60)) as kept:
            full = mock.MagicMock()
            full.tofile.side_effect = OSError(errno.ENOSPC, "No space left on device")
            with self.assertRaises(CrennError) as caught:
                kept.put(0, full)
        self.assertIn("No space left", str(caught.exception))
        self.assertIn("TMPDIR", str(caught.exception))


class Medians(unittest.TestCase):
    def test_quickselect_is_the_median(self):
        rng = np.random.default_rng(5)
        for n in (1, 2, 3, 4, 7, 12, 31, 60):
            values = rng.normal(size=n).astype(np.float32)
            with self.subTest(n=n):
                self.assertAlmostEqual(float(median_of(values.copy(), n)), float(np.median(values)), delta=1e-6)
        self.assertEqual(float(median_of(np.full(9, 2.5, np.float32), 9)), 2.5)


class Brush(unittest.TestCase):
    def test_a_stroke_is_as_wide_as_it_says(self):
        mask = stroke_mask(Stroke(kind="moved", points=[(0.25, 0.5), (0.75, 0.5)], radius=0.05), (200, 400))
        rows = np.flatnonzero(mask[:, 200])
        self.assertAlmostEqual(rows.size, 40, delta=2)
        self.assertAlmostEqual(rows.mean(), 99.5, delta=1)
        self.assertTrue(mask[100, 82] and mask[100, 318])
        self.assertFalse(mask[100, 70] or mask[100, 330])

    def test_strokes_turn_with_the_picture(self):
        stroke = Stroke(kind="sky", points=[(0.1, 0.2)], radius=0.02)
        image = np.zeros((60, 90), bool)
        for flip, turns in ((3, 2), (5, 1), (6, 3)):
            with self.subTest(flip=flip):
                ((x, y),) = on_sensor(Instructions(strokes=[stroke]), flip).strokes[0].points
                image[:] = False
                image[int(y * 60), int(x * 90)] = True
                held = np.rot90(image, turns)
                row, column = np.argwhere(held)[0]
                self.assertAlmostEqual((column + 0.5) / held.shape[1], 0.1, delta=0.03)
                self.assertAlmostEqual((row + 0.5) / held.shape[0], 0.2, delta=0.03)


class Horizon(unittest.TestCase):
    def spreads(self):
        """A hill under a sky of stars, and a glow that stands still in it."""
        rng = np.random.default_rng(4)
        y, x = np.mgrid[:240, :360]
        hill = y > 150 + 30 * np.sin(x / 50)
        still, turned = (np.abs(1 + 0.4 * rng.standard_normal((240, 360))) for _ in range(2))
        stars = (rng.random((240, 360)) < 0.02) & ~hill
        still[stars] += 60
        turned[stars] += 4
        detail = (rng.random((240, 360)) < 0.3) & hill
        turned[detail] += 40
        mean = np.full((240, 360, 3), 1.0)
        mean[hill] = 0.2
        mean[(y > 60) & (y < 90)] = (0.5, 2.0, 1.0)
        return mean.astype(np.float32), still.astype(np.float32), turned.astype(np.float32), hill

    def test_the_border_follows_the_hill(self):
        mean, still, turned, hill = self.spreads()
        ground, _ = find_ground(mean, still, turned, np.ones((240, 360), np.float32))
        self.assertGreater(((ground > 0.5) == hill).mean(), 0.97)

    def test_no_ground_where_everything_turns(self):
        mean, still, _, _ = self.spreads()
        ground, thin = find_ground(mean, still, np.ones_like(still), np.ones((240, 360), np.float32))
        self.assertEqual((ground.max(), thin.max()), (0, 0))

    def test_a_mask_snaps_to_the_edge_beside_it(self):
        guide = np.zeros((60, 80), np.float32)
        guide[:, 40:] = 1
        rough = np.zeros((60, 80), np.float32)
        rough[:, 38:] = 1
        clean = snapped(rough, guide, 6)
        self.assertGreater(clean[30, 42], 0.9)
        self.assertLess(clean[30, 37], 0.35)

    def test_paint_has_the_last_word(self):
        where = np.zeros((10, 10), bool)
        where[2:4] = True
        self.assertTrue((painted(np.zeros((10, 10), np.float32), [(where, True)])[2:4] == 1).all())


class HotSites(unittest.TestCase):
    def test_lone_sites_are_voted_for_and_stars_are_not(self):
        rng = np.random.default_rng(1)
        y, x = np.mgrid[:80, :120]
        light = 800 + 5 * rng.standard_normal((80, 120))
        light += 3000 * np.exp(-((y - 40.3) ** 2 + (x - 60.2) ** 2) / (2 * 0.8**2))
        light[20, 30] += 2000
        votes = np.zeros((80, 120), np.uint8)
        span = 16383 - 512
        noise = NoiseModel(np.full(3, 0.3 / span, np.float32), np.full(3, (5 / span) ** 2, np.float32))
        vote_hot(light_frame(light.astype(np.uint16), noise), votes)
        self.assertEqual(votes[20, 30], 1)
        self.assertEqual(votes[36:46, 55:66].max(), 0)
        mosaic = light.astype(np.uint16)
        mend_sites(mosaic, votes > 0)
        self.assertLess(abs(int(mosaic[20, 30]) - 800), 20)


class Proxies(unittest.TestCase):
    def test_levels_halve_and_their_noise_falls(self):
        model = NoiseModel(np.full(3, 1e-4, np.float32), np.full(3, 1e-6, np.float32))
        mosaic = np.full((640, 960), 4000, np.uint16)
        mosaic[100:110, 200:210] = 16383
        levels = levels_of(mosaic, RGGB, Levels(np.full(3, 512, np.float32), 16383.0, 16300.0), model, 2.0)
        light = (4000 - 512) / (16383 - 512) / 2
        for index, level in enumerate(levels):
            self.assertEqual(level.factor, 2 ** (index + 1))
            self.assertAlmostEqual(float(level.light[0, 0]), light, delta=1e-4)
            self.assertAlmostEqual(float(level.variance[0, 0] * 4**index / levels[0].variance[0, 0]), 1, delta=1e-3)
            self.assertFalse(level.valid[105 // level.factor, 205 // level.factor])
            self.assertTrue(level.valid[0, 0])


class CoverageWords(unittest.TestCase):
    def test_all_covered_is_said(self):
        model = NoiseModel(np.full(3, 2e-5, np.float32), np.full(3, 1e-9, np.float32))
        statistics = {
            "low_stop": -4.0,
            "high_stop": -1.0,
            "histogram_start": -4.0,
            "histogram_bin": 0.5,
            "histogram": [1 / 6] * 6,
            "snr_db": [40.0] * 6,
        }
        found = cover([Measured(1.0, model, 0.0, 1.0, 100.0)], statistics, 0.0, (3000, 2000))
        self.assertEqual(found.words[0], "The frames cover the whole scene.")
        self.assertIsNone(found.advice)
        self.assertEqual((found.missing, found.thin), ([], []))
