"""How often each tone comes in a picture: by the tones that are known to be there."""

import unittest

import numpy as np

from crenn.core.areas.area import FULL
from crenn.core.colorimetry.spaces import lightness, srgb_decode
from crenn.core.render.tone_histogram import BINS, tone_histogram


def bin_of(code: int) -> int:
    return min(int(float(lightness(srgb_decode(code / 255))) / 100 * BINS), BINS - 1)


class Tones(unittest.TestCase):
    def test_an_even_grey_stands_at_its_lightness_in_all_four(self):
        for code in (0, 40, 118, 200, 255):
            found = tone_histogram(np.full((90, 130, 3), code, np.uint8))
            for name, bins in found.items():
                # A code may lie across the border of two bins.
                self.assertLessEqual(abs(int(np.argmax(bins)) - bin_of(code)), 1, (code, name))
                self.assertEqual(np.count_nonzero(np.array(bins) > 130), 1, (code, name))

    def test_channels_and_luminance_are_told_apart(self):
        red = np.zeros((50, 50, 3), np.uint8)
        red[..., 0] = 255
        found = tone_histogram(red)
        self.assertEqual(found["red"][-1], 255)
        self.assertEqual(found["green"][0], 255)
        # The luminance of sRGB's red is 0.2126, its lightness 53.2 (IEC 61966-2-1, CIE 15).
        self.assertAlmostEqual(np.argmax(found["luminance"]), int(0.532 * BINS), delta=1)

    def test_even_tones_make_no_comb(self):
        # As many pixels for each step of lightness: neighbours differ by less than a tenth.
        steps = np.linspace(0, 100, 40_000)
        light = np.where(steps > 8, ((steps + 16) / 116) ** 3, steps / 903.3)
        codes = np.clip(
            np.rint(255 * np.where(light > 0.0031308, 1.055 * light ** (1 / 2.4) - 0.055, 12.92 * light)), 0, 255
        )
        found = tone_histogram(np.repeat(codes.reshape(200, 200, 1), 3, 2).astype(np.uint8))
        inner = np.array(found["luminance"][3:-2], float)
        self.assertLess(np.abs(np.diff(inner)).max() / inner.mean(), 0.35)

    def test_within_a_mask_only_what_lies_there_counts(self):
        codes = np.full((60, 80, 3), 200, np.uint8)
        codes[:, :40] = 30
        mask = np.zeros((60, 80), np.uint16)
        mask[:, 40:] = FULL
        found = tone_histogram(codes, mask)["luminance"]
        self.assertEqual(found[bin_of(30)], 0)
        self.assertGreater(max(found[bin_of(200) - 1 : bin_of(200) + 2]), 100)


if __name__ == "__main__":
    unittest.main()
