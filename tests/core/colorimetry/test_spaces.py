"""Colour spaces against published values."""

import unittest

import numpy as np

from crenn.core.colorimetry import spaces
from crenn.core.colorimetry.white import balance_matrix, temperature_of, white_xy
from crenn.core.light.white_patch import white_of_patch


class Spaces(unittest.TestCase):
    def test_srgb_matrix_is_the_published_one(self):
        published = [[0.4124, 0.3576, 0.1805], [0.2126, 0.7152, 0.0722], [0.0193, 0.1192, 0.9505]]
        np.testing.assert_allclose(spaces.SRGB_TO_XYZ, published, atol=5e-4)

    def test_rec2020_luminance_is_the_published_one(self):
        np.testing.assert_allclose(spaces.LUMINANCE, [0.2627, 0.6780, 0.0593], atol=1e-4)

    def test_srgb_code_and_back(self):
        codes = np.linspace(0, 1, 256)
        np.testing.assert_allclose(spaces.srgb_encode(spaces.srgb_decode(codes)), codes, atol=1e-7)

    def test_ciede2000_published_pairs(self):
        # Sharma, Wu and Dalal 2005, table 1: pairs 1, 7, 17 and 25.
        pairs = [
            ((50, 2.6772, -79.7751), (50, 0, -82.7485), 2.0425),
            ((50, 0, 0), (50, -1, 2), 2.3669),
            ((50, 2.5, 0), (73, 25, -18), 27.1492),
            ((60.2574, -34.0099, 36.2677), (60.4626, -34.1751, 39.4387), 1.2644),
        ]
        for one, two, published in pairs:
            with self.subTest(published=published):
                self.assertAlmostEqual(float(spaces.delta_e2000(one, two)), published, places=3)

    def test_middle_grey_has_lightness_near_50(self):
        self.assertAlmostEqual(float(spaces.lightness(0.1842)), 50.0, delta=0.1)
        self.assertAlmostEqual(float(spaces.luminance_of_lightness(spaces.lightness(0.3))), 0.3, places=6)


class WhiteBalance(unittest.TestCase):
    def test_d65_and_illuminant_a(self):
        self.assertAlmostEqual(temperature_of(*spaces.D65_XY)[0], 6504, delta=12)
        self.assertAlmostEqual(temperature_of(0.44758, 0.40745)[0], 2856, delta=10)

    def test_white_and_back(self):
        for temperature, tint in ((2100, 0), (2856, 12), (4000, -8), (5200, 4), (9000, 20)):
            with self.subTest(temperature=temperature):
                back = temperature_of(*white_xy(temperature, tint))
                self.assertAlmostEqual(back[0], temperature, delta=temperature * 0.01)
                self.assertAlmostEqual(back[1], tint, delta=0.3)

    def test_warmer_setting_makes_grey_warmer(self):
        grey = balance_matrix((8000, 0), (5000, 0)) @ np.ones(3)
        self.assertGreater(grey[0], grey[2] * 1.1)

    def test_picked_patch_becomes_neutral(self):
        as_shot = (5200.0, 4.0)
        patch = np.array([0.20, 0.16, 0.09])
        chosen = white_of_patch(patch, as_shot)
        balanced = balance_matrix((chosen.temperature, chosen.tint), as_shot) @ patch
        self.assertLess(np.ptp(balanced) / balanced.mean(), 0.02)

    def test_black_patch_is_refused(self):
        with self.assertRaisesRegex(ValueError, "too dark"):
            white_of_patch([0.1, 0.0, -0.1], (5000.0, 0.0))

    def test_temperature_out_of_range(self):
        with self.assertRaisesRegex(ValueError, "900"):
            spaces.chromaticity_of_temperature(900)
