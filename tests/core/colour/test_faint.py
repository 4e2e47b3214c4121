"""Faint colour: what is there comes out, what is noise does not."""

import unittest

import numpy as np

from crenn.core.colorimetry.oklab import hue_and_saturation
from crenn.core.colorimetry.spaces import luminance
from tests.core.colour.charts import colours, treated

SIZE = (240, 360)


def moon() -> np.ndarray:
    """Maria of two faint colours, bluish and reddish, on grey ground, float32 (H, W, 3)."""
    rgb = np.broadcast_to(colours(0.0, 0.0, 0.6), (*SIZE, 3)).copy()
    rgb[60:180, 40:160] = colours(255.0, 0.012, 0.6)
    rgb[60:180, 200:320] = colours(50.0, 0.012, 0.6)
    return rgb


class Faint(unittest.TestCase):
    def test_faint_colours_are_brought_out_in_their_own_hues(self):
        rgb = moon()
        after = treated(rgb, faint={"gain": 4.0})
        for columns, hue in ((slice(60, 140), 255.0), (slice(220, 300), 50.0)):
            found, saturation = hue_and_saturation(after[80:160, columns].astype(float).mean((0, 1)))
            self.assertLess(abs(found - hue), 6)
            self.assertAlmostEqual(float(saturation), 0.048, delta=0.006)

    def test_luminance_and_grey_stay(self):
        rgb = moon()
        after = treated(rgb, faint={"gain": 6.0})
        np.testing.assert_allclose(luminance(after), luminance(rgb), rtol=2e-3)
        self.assertLess(hue_and_saturation(after[:30].astype(float))[1].max(), 0.004)

    def test_strong_colours_are_left(self):
        rgb = np.broadcast_to(colours(70.0, 0.35), (*SIZE, 3)).copy()
        after = treated(rgb, faint={"gain": 4.0})
        ratio = hue_and_saturation(after[100, 100].astype(float))[1] / 0.35
        self.assertLess(ratio, 1.45)

    def test_noise_is_not_brought_out(self):
        rng = np.random.default_rng(2)
        grey = np.broadcast_to(colours(0.0, 0.0, 0.2), (*SIZE, 3))
        noisy = (grey * (1 + 0.1 * rng.standard_normal((*SIZE, 3)))).astype(np.float32)
        before = hue_and_saturation(noisy)[1].mean()
        told = hue_and_saturation(treated(noisy, 0.1, faint={"gain": 5.0}))[1].mean()
        untold = hue_and_saturation(treated(noisy, faint={"gain": 5.0}))[1].mean()
        self.assertLess(told, 1.1 * before)
        self.assertGreater(untold, 1.5 * before)

    def test_colour_that_only_many_pixels_tell_together(self):
        """Air glow of a hundredth of the noise of a pixel, over half of the sky."""
        rng = np.random.default_rng(2)
        sky = np.broadcast_to(colours(0.0, 0.0, 0.2), (*SIZE, 3)).copy()
        sky[:, 180:] = colours(145.0, 0.03, 0.2)
        noisy = (sky * (1 + 0.06 * rng.standard_normal((*SIZE, 3)))).astype(np.float32)
        after = treated(noisy, 0.06, faint={"gain": 4.0})
        glow = hue_and_saturation(after[40:200, 220:340].astype(float).mean((0, 1)))
        grey = hue_and_saturation(after[40:200, 20:140].astype(float).mean((0, 1)))
        self.assertGreater(glow[1], 0.05)
        self.assertLess(abs(glow[0] - 145), 12)
        self.assertLess(grey[1], 0.01)

    def test_white_is_what_the_balance_says(self):
        warm = np.broadcast_to(np.array([0.3, 0.22, 0.12], np.float32), (*SIZE, 3)).copy()
        to_grey = {"red_red": 100 * 0.22 / 0.3, "blue_blue": 100 * 0.22 / 0.12, "grey": False}
        grey = treated(warm, channels=to_grey)
        np.testing.assert_allclose(grey, 0.22, rtol=1e-4)
        # Faint colour acts before channels: what it finds of a cast it brings out.
        self.assertGreater(np.ptp(treated(warm, channels=to_grey, faint={"gain": 2})[100, 100]), 0.02)


if __name__ == "__main__":
    unittest.main()
