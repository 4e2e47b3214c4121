"""What the bench measures with."""

import unittest

import numpy as np

from crenn.bench.charts import daylight, smooth_chart, star_field
from crenn.bench.run import run_bench
from crenn.bench.table import Table
from crenn.bench.tmqi import tmqi
from crenn.bench.tone import hue_shift, step_halo
from crenn.core.colorimetry.spaces import REC2020_TO_SRGB, luminance, srgb_encode
from crenn.core.errors import CrennError


class Measures(unittest.TestCase):
    def test_a_careful_picture_scores_above_a_clipped_and_a_flat_one(self):
        rgb = daylight(330, 495)
        hdr = luminance(rgb)
        good = srgb_encode(np.clip(rgb * 0.9, 0, 1)) @ [0.2, 0.7, 0.1] * 255
        burnt = srgb_encode(np.clip(rgb * 30, 0, 1)) @ [0.2, 0.7, 0.1] * 255
        flat = np.full_like(good, 120) + 0.001 * good
        self.assertGreater(tmqi(hdr, good)[0], tmqi(hdr, burnt)[0] + 0.05)
        self.assertGreater(tmqi(hdr, good)[0], tmqi(hdr, flat)[0] + 0.05)

    def test_halos_are_seen(self):
        import cv2

        def plain(rgb):
            return (srgb_encode(np.clip(rgb * 0.5, 0, 1)) * 255).astype(np.uint8)

        def sharpened(rgb):
            soft = cv2.GaussianBlur(rgb, (0, 0), 25)
            return plain(np.maximum(rgb + 0.4 * (rgb - soft), 0))

        self.assertLess(step_halo(plain), 0.05)
        self.assertGreater(step_halo(sharpened), 1.0)

    def test_hue_shifts_are_seen(self):
        rgb = np.broadcast_to(np.array([0.5, 0.3, 0.15], np.float32), (60, 60, 3))
        true = (srgb_encode(np.clip(rgb @ REC2020_TO_SRGB.T, 0, 1)) * 255).astype(np.uint8)
        self.assertLess(hue_shift(rgb, true), 1.0)
        self.assertGreater(hue_shift(rgb, true[..., [0, 2, 1]]), 20)

    def test_charts_hold_the_stops_they_promise(self):
        self.assertAlmostEqual(np.ptp(np.log2(smooth_chart(60, 900)[3, :, 1])), 15.0, places=2)
        self.assertGreater(np.log2(star_field(400, 600).max() / np.median(star_field(400, 600))), 5)

    def test_tables_and_unknown_subjects(self):
        table = Table("T", ("a", "b"))
        table.add("row", 0.12345, None)
        self.assertIn("0.123", table.text())
        self.assertEqual(table.record()["rows"][0]["values"], [0.12345, None])
        with self.assertRaisesRegex(CrennError, "nonsense"):
            run_bench(["nonsense"])
