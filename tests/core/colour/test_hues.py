"""Single hues: ranges take what they should, smoothly, and nothing else."""

import unittest

import numpy as np

from crenn.bench.colour import delta_e
from crenn.core.colorimetry.oklab import apart
from crenn.core.colour.hues import usual_ranges
from crenn.core.errors import InvalidTreatment
from crenn.core.treatment import parse_treatment
from tests.core.colour.charts import circle, colours, document, drift, treated

HUES = np.arange(720) / 2


def one(**more) -> dict:
    return {"ranges": [{"name": "one", "hue": 260, "width": 40, "soft": 30} | more]}


class Ranges(unittest.TestCase):
    def test_what_changes_nothing_is_exactly_what_it_was(self):
        chart = circle()
        for hues in ({}, one(), one(shift=30, on=False), {"on": False} | one(shift=30)):
            np.testing.assert_array_equal(treated(chart, hues=hues), chart)

    def test_hues_inside_are_turned_and_those_outside_left(self):
        chart = circle()
        hue, light, ratio = drift(chart, treated(chart, hues=one(shift=-30)))
        away = np.abs(apart(HUES, 260))
        np.testing.assert_allclose(hue[2, away < 19], -30, atol=0.5)
        np.testing.assert_allclose(hue[:, away > 55], 0, atol=0.01)
        self.assertLess(np.abs(light).max(), 0.01)
        np.testing.assert_allclose(ratio, 1, atol=0.01)

    def test_lightness_and_saturation_of_a_range(self):
        chart = circle(saturations=(0.25,))
        away = np.abs(apart(HUES, 260))
        hue, light, ratio = drift(chart, treated(chart, hues=one(saturation=1.6, lightness=-0.7)))
        np.testing.assert_allclose(ratio[0, away < 19], 1.6, atol=0.02)
        np.testing.assert_allclose(light[0, away < 19], 100 * 0.56 * (2 ** (-0.7 / 3) - 1), atol=0.1)
        self.assertLess(np.abs(hue).max(), 0.1)
        self.assertLess(np.abs(light[0, away > 55]).max(), 0.01)

    def test_greys_have_no_hue_to_go_by(self):
        chart = circle(saturations=(0.0, 0.003))
        _, light, _ = drift(chart, treated(chart, hues=one(lightness=2)))
        self.assertLess(np.abs(light).max(), 1.5)

    def test_overlapping_ranges_add_up(self):
        two = {
            "ranges": [*one(shift=10, lightness=0.3)["ranges"], {"name": "two", "hue": 262, "width": 40, "shift": 8}]
        }
        chart = circle(saturations=(0.25,))
        hue, _, _ = drift(chart, treated(chart, hues=two))
        np.testing.assert_allclose(hue[0, 2 * 261], 18, atol=0.3)

    def test_dull_and_pure_colours_can_be_left(self):
        chart = colours(260.0, np.array([[0.04, 0.08, 0.14, 0.3]]))
        hue, _, _ = drift(chart, treated(chart, hues=one(shift=20, least=11)))
        self.assertLess(abs(hue[0, 0]), 0.1)
        self.assertGreater(hue[0, 3], 19)
        hue, _, _ = drift(chart, treated(chart, hues=one(shift=20, most=11)))
        self.assertGreater(hue[0, 1], 17)
        self.assertLess(abs(hue[0, 3]), 0.1)

    def test_no_step_along_a_fine_circle(self):
        """In CIEDE2000 from one hue to the next, a twentieth of a degree on, for the sharpest range there can be."""
        chart = circle(7200, (0.05, 0.15, 0.3))
        own = delta_e(chart, np.roll(chart, 1, 1)).max()
        for change in (
            {"shift": 60},
            {"shift": -60},
            {"saturation": 3},
            {"saturation": 0},
            {"lightness": 2},
            {"lightness": -2},
        ):
            for width, soft in ((5, 20), (30, 30)):
                after = treated(
                    chart, hues={"ranges": [{"name": "a", "hue": 77.3, "width": width, "soft": soft} | change]}
                )
                with self.subTest(change=change, width=width):
                    self.assertLess(delta_e(after, np.roll(after, 1, 1)).max(), own + 0.5)

    def test_usual_ranges_leave_no_gap(self):
        ranges = [r.model_copy(update={"shift": 10.0}).model_dump() for r in usual_ranges()]
        hue, _, _ = drift(chart := circle(saturations=(0.25,)), treated(chart, hues={"ranges": ranges}))
        self.assertGreater(hue.min(), 5)
        self.assertLess(hue.max(), 21)


class Jobs(unittest.TestCase):
    """What photographers want of it: must be easy."""

    def test_purple_out_of_a_blue_hour(self):
        blue = colours(285.0, 0.2)[None, None]
        after = treated(blue, hues={"ranges": [{"name": "a", "hue": 285, "shift": -25}]})
        self.assertAlmostEqual(float(drift(blue, after)[0][0, 0]), -25, delta=0.5)

    def test_foliage_deeper_without_touching_the_sky(self):
        both = colours(np.array([[135.0, 255.0]]), 0.15)
        green = {"name": "Leaves", "hue": 135, "width": 40, "saturation": 1.3, "lightness": -0.5}
        after = treated(both, hues={"ranges": [green]})
        self.assertLess(after[0, 0].sum(), 0.8 * both[0, 0].sum())
        np.testing.assert_allclose(after[0, 1], both[0, 1], rtol=1e-5)

    def test_a_magenta_shine_off_a_pavement_but_not_off_the_sign_that_throws_it(self):
        both = colours(335.0, np.array([[0.07, 0.4]]))
        off = {"name": "Shine", "hue": 335, "width": 50, "saturation": 0, "most": 12}
        _, _, ratio = drift(both, treated(both, hues={"ranges": [off]}))
        self.assertLess(ratio[0, 0], 0.25)
        self.assertAlmostEqual(ratio[0, 1], 1, delta=0.001)


class Refused(unittest.TestCase):
    def test_a_range_without_width_is_refused_by_name(self):
        for bad in ({"width": 0}, {"soft": 0}, {"hue": 400}, {"shift": 200}):
            with self.subTest(bad=bad), self.assertRaises(InvalidTreatment) as caught:
                parse_treatment(document(hues=one(**bad)))
            self.assertIn(next(iter(bad)), str(caught.exception))

    def test_two_of_a_name_and_too_many(self):
        again = {"ranges": [{"name": "a", "hue": 1}, {"name": "a", "hue": 9}]}
        with self.assertRaises(InvalidTreatment) as caught:
            parse_treatment(document(hues=again))
        self.assertIn("“a”", str(caught.exception))
        many = {"ranges": [{"name": str(k), "hue": k} for k in range(25)]}
        with self.assertRaises(InvalidTreatment):
            parse_treatment(document(hues=many))

    def test_a_name_that_paths_could_not_tell(self):
        for name in ("a.b", "", "x" * 41, "a\nb"):
            with self.assertRaises(InvalidTreatment):
                parse_treatment(document(hues={"ranges": [{"name": name, "hue": 1}]}))


if __name__ == "__main__":
    unittest.main()
