"""Tints and balance by tone: where they act, what they hold."""

import unittest

import numpy as np

from crenn.core.colorimetry.oklab import hue_and_saturation, to_oklab
from crenn.core.errors import InvalidTreatment
from crenn.core.treatment import parse_treatment
from tests.core.colour.charts import circle, colours, document, drift, treated

STOPS = np.linspace(-12, 1, 105)
GREYS = np.broadcast_to(np.exp2(STOPS)[None, :, None], (2, 105, 3)).astype(np.float32)
COLD = {"name": "Shadows", "stop": -6.5, "hue": 250, "amount": 6}
WARM = {"name": "Highlights", "stop": -0.5, "hue": 70, "amount": 5}


def tinted(*points: dict, rgb: np.ndarray = GREYS, **more) -> np.ndarray:
    return treated(rgb, tints={"points": list(points)} | more)


class Tints(unittest.TestCase):
    def test_points_without_amount_change_nothing_at_all(self):
        np.testing.assert_array_equal(tinted(COLD | {"amount": 0}, WARM | {"amount": 0}), GREYS)
        np.testing.assert_array_equal(tinted(COLD | {"on": False}), GREYS)

    def test_cold_shadows_against_warm_light_in_two_moves(self):
        hue, saturation = hue_and_saturation(tinted(COLD, WARM).astype(float))
        dark, bright = STOPS < -6.6, STOPS > -0.4
        np.testing.assert_allclose(hue[0, dark], 250, atol=0.5)
        np.testing.assert_allclose(saturation[0, dark], 0.06, rtol=0.01)
        np.testing.assert_allclose(hue[0, bright], 70, atol=0.5)
        np.testing.assert_allclose(saturation[0, bright], 0.05, rtol=0.01)

    def test_lightness_stays_unless_a_point_says_otherwise(self):
        lightness = to_oklab(GREYS.astype(float))[..., 0]
        np.testing.assert_allclose(to_oklab(tinted(COLD, WARM).astype(float))[..., 0], lightness, rtol=1e-4)
        brighter = tinted(WARM | {"amount": 0, "lightness": 1.0}, COLD | {"amount": 0})
        np.testing.assert_allclose(np.log2(brighter / GREYS)[0, STOPS > -0.3], 1.0, atol=0.01)
        np.testing.assert_allclose(np.log2(brighter / GREYS)[0, STOPS < -6.6], 0.0, atol=0.01)

    def test_one_goes_over_into_the_other_without_a_step(self):
        after = to_oklab(tinted(COLD, WARM).astype(float))
        share = after[0, :, 2] / after[0, :, 0]
        self.assertTrue((np.diff(share) > -1e-5).all())
        self.assertLess(np.diff(share).max(), 0.006)

    def test_balance_moves_where_they_change_over(self):
        def turning(balance: float) -> float:
            after = to_oklab(tinted(COLD, WARM, balance=balance).astype(float))
            return float(np.interp(0, after[0, :, 2] / after[0, :, 0], STOPS))

        self.assertAlmostEqual(turning(2) - turning(0), 2, delta=0.1)
        self.assertAlmostEqual(turning(-1) - turning(0), -1, delta=0.1)

    def test_neutral_is_kept_on_wish(self):
        grey = tinted(COLD, neutral=True)
        np.testing.assert_allclose(grey, GREYS, rtol=2e-4)
        chart = circle(60, (0.3,), 0.2)
        self.assertGreater(np.abs(tinted(COLD, rgb=chart, neutral=True) - chart).max(), 0.0005)

    def test_two_on_the_same_stop_are_refused(self):
        with self.assertRaises(InvalidTreatment) as caught:
            parse_treatment(document(tints={"points": [COLD, WARM | {"stop": -6.4}]}))
        self.assertIn("Shadows", str(caught.exception))

    def test_points_are_kept_by_rising_stop(self):
        treatment = parse_treatment(document(tints={"points": [WARM, COLD]}))
        self.assertEqual([p.name for p in treatment.tints.points], ["Shadows", "Highlights"])


class Tones(unittest.TestCase):
    def test_neutral_changes_nothing_at_all(self):
        np.testing.assert_array_equal(treated(GREYS, tones={}), GREYS)

    def test_each_range_is_shifted_by_itself(self):
        for tone, where in (("shadows", STOPS < -6.1), ("highlights", STOPS > -0.9)):
            ratio = np.log2(treated(GREYS, tones={f"{tone}_blue": 0.5}) / GREYS)[0]
            blue = ratio[:, 2] - ratio[:, 1]
            with self.subTest(tone=tone):
                np.testing.assert_allclose(blue[where], 0.5, atol=0.02)
                self.assertLess(np.abs(blue[np.abs(STOPS + 3.5) < 0.06]).max(), 0.04)

    def test_midtones_alone(self):
        ratio = np.log2(treated(GREYS, tones={"midtones_red": -0.4}) / GREYS)[0]
        red = ratio[:, 0] - ratio[:, 1]
        self.assertAlmostEqual(red[np.abs(STOPS + 3.5).argmin()], -0.4, delta=0.03)
        self.assertLess(np.abs(red[(STOPS < -6.5) | (STOPS > -0.5)]).max(), 0.01)

    def test_lightness_stays(self):
        chart = circle(72, (0.03, 0.1, 0.2), 0.4)
        _, light, _ = drift(chart, treated(chart, tones={"midtones_red": 1.0, "highlights_blue": -1.0}))
        self.assertLess(np.abs(light).max(), 0.5)

    def test_opposite_shifts_take_each_other_back_on_grey(self):
        there = treated(GREYS, tones={"midtones_green": 0.6})
        self.assertGreater(np.abs(there - GREYS).max(), 0.001)
        back = treated(there, tones={"midtones_green": -0.6})
        np.testing.assert_allclose(back, GREYS, rtol=0.03)

    def test_the_older_way_goes_where_its_name_says(self):
        grey = colours(0.0, 0.0, 0.3)[None, None]
        for channel, hue in (("red", 0), ("green", 142), ("blue", 280)):
            found = hue_and_saturation(treated(grey, tones={f"midtones_{channel}": 0.5}).astype(float))[0][0, 0]
            self.assertLess(abs((found - hue + 180) % 360 - 180), 25, channel)


if __name__ == "__main__":
    unittest.main()
