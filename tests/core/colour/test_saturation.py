"""Saturation, vibrance and hue: what they hold, what they spare, what they leave."""

import unittest

import numpy as np

from crenn.core.colorimetry.oklab import hue_and_saturation
from tests.core.colour.charts import circle, colours, drift, treated


class Amount(unittest.TestCase):
    def test_neutral_changes_nothing_at_all(self):
        chart = circle()
        np.testing.assert_array_equal(treated(chart, saturation={}), chart)
        np.testing.assert_array_equal(treated(chart, saturation={"saturation": 2, "on": False}), chart)

    def test_saturation_holds_hue_and_lightness(self):
        for factor in (0.3, 1.5, 2.5):
            for lightness in (0.1, 0.56, 1.4):
                chart = circle(lightness=lightness)
                hue, light, ratio = drift(chart, treated(chart, saturation={"saturation": factor}))
                with self.subTest(factor=factor, lightness=lightness):
                    self.assertLess(np.abs(hue).max(), 0.05)
                    self.assertLess(np.abs(light).max(), 0.01)
                    np.testing.assert_allclose(ratio, factor, rtol=0.002)

    def test_nothing_is_left_of_colour_at_nothing(self):
        grey = treated(circle(saturations=(0.02, 0.3, 0.5)), saturation={"saturation": 0})
        self.assertLess(hue_and_saturation(grey)[1].max(), 1e-4)

    def test_light_of_any_level_is_treated_alike(self):
        chart = circle(90)
        for settings in ({"saturation": 1.7}, {"vibrance": 70}, {"hue": 20}):
            one = treated(chart, saturation=settings)
            for ev in (-8, 6):
                other = treated(chart * np.float32(2.0**ev), saturation=settings)
                np.testing.assert_allclose(other * 2.0**-ev, one, rtol=2e-4, atol=2e-5)

    def test_hue_turns_all_alike(self):
        hue, light, ratio = drift(chart := circle(), treated(chart, saturation={"hue": 25}))
        np.testing.assert_allclose(hue, 25, atol=0.1)
        self.assertLess(np.abs(light).max(), 0.01)
        np.testing.assert_allclose(ratio, 1, atol=0.002)


class Vibrance(unittest.TestCase):
    def test_dull_colours_first(self):
        saturation = np.array([[0.02, 0.06, 0.15, 0.3, 0.5]])
        _, _, ratio = drift(chart := colours(200.0, saturation), treated(chart, saturation={"vibrance": 100}))
        self.assertTrue((np.diff(ratio[0]) < 0).all())
        self.assertGreater(ratio[0, 0], 1.9)
        self.assertLess(ratio[0, -1], 1.08)

    def test_order_stays(self):
        saturation = np.linspace(0.005, 0.6, 200)[None]
        for amount in (-100, 100):
            after = hue_and_saturation(treated(colours(200.0, saturation), saturation={"vibrance": amount}))[1]
            self.assertTrue((np.diff(after[0]) > 0).all())

    def test_skin_is_held(self):
        # Between the fair and the dark patches of skin on a colour chart, under white light.
        chart = colours(np.array([[52.0, 232.0]]), 0.1)
        _, _, ratio = drift(chart, treated(chart, saturation={"vibrance": 80}))
        self.assertLess(ratio[0, 0] - 1, 0.45 * (ratio[0, 1] - 1))


class Noise(unittest.TestCase):
    def noisy(self, **more):
        """A bright and a dark strip of one colour; in the dark, noise is half of the light."""
        chart = np.concatenate([np.broadcast_to(colours(30.0, 0.1), (40, 60, 3))] * 2)
        chart[40:] *= 2.0**-9
        sigma = chart * np.where(np.arange(80) < 40, 0.002, 0.5)[:, None, None]
        _, _, ratio = drift(chart, treated(chart, sigma, saturation={"saturation": 2.0} | more))
        return ratio[5, 5], ratio[-5, 5]

    def test_colour_that_is_noise_is_not_raised(self):
        bright, dark = self.noisy()
        self.assertAlmostEqual(bright, 2.0, delta=0.03)
        self.assertLess(dark, 1.25)

    def test_unless_it_is_asked_for(self):
        bright, dark = self.noisy(protect=0)
        self.assertAlmostEqual(dark, bright, delta=0.02)

    def test_taking_colour_away_is_not_held_back(self):
        bright, dark = self.noisy(saturation=0.5)
        self.assertAlmostEqual(dark, 0.5, delta=0.01)
        self.assertAlmostEqual(bright, 0.5, delta=0.01)


if __name__ == "__main__":
    unittest.main()
