"""Primaries, channels, inks and monochrome."""

import unittest

import numpy as np

from crenn.core.colorimetry.oklab import hue_and_saturation
from crenn.core.colorimetry.spaces import REC2020_TO_SRGB
from crenn.core.colour.channels import mixing_matrix
from crenn.core.colour.inks import FAMILIES, INKS
from crenn.core.colour.primaries import primaries_matrix
from tests.core.colour.charts import circle, colours, drift, treated

CHART = circle(72, (0.0, 0.05, 0.15, 0.3), 0.35)
GREYS = np.broadcast_to(np.geomspace(2e-4, 2, 60)[None, :, None], (2, 60, 3)).astype(np.float32)
LIGHTS = np.linalg.inv(REC2020_TO_SRGB).T.astype(np.float32)


class Neutral(unittest.TestCase):
    def test_each_changes_nothing_at_all(self):
        for step in ("primaries", "channels", "inks", "monochrome", "cast", "sky", "faint"):
            np.testing.assert_array_equal(treated(CHART, **{step: {}}), CHART, step)


class Primaries(unittest.TestCase):
    def test_white_is_kept(self):
        for degrees, factors in (((20, 0, 0), (1, 1, 1)), ((-10, 15, 5), (0.7, 1.3, 1.1))):
            matrix = primaries_matrix(np.array(degrees), np.array(factors))
            np.testing.assert_allclose(matrix @ np.ones(3), np.ones(3), atol=1e-9)

    def test_nothing_moves_where_nothing_is_asked(self):
        np.testing.assert_allclose(primaries_matrix(np.zeros(3), np.ones(3)), np.eye(3), atol=1e-12)

    def test_as_far_as_they_can_go_colours_do_not_fold(self):
        rng = np.random.default_rng(1)
        for _ in range(200):
            matrix = primaries_matrix(rng.uniform(-90, 90, 3), rng.uniform(0.2, 2.5, 3))
            self.assertGreater(np.linalg.det(matrix), 0)
            np.testing.assert_allclose(matrix.sum(1), 1.0, atol=1e-6)
        # What folds nothing goes all the way: a primary that comes nearer to white.
        dull = primaries_matrix(np.zeros(3), np.array([0.3, 1.0, 1.0]))
        duller = primaries_matrix(np.zeros(3), np.array([0.2, 1.0, 1.0]))
        self.assertGreater(np.abs(dull - duller).max(), 0.02)

    def test_a_primary_goes_where_it_is_turned(self):
        before = hue_and_saturation(LIGHTS[None].astype(float))
        for k, name in enumerate(("red", "green", "blue")):
            for way in (-12, 12):
                after = hue_and_saturation(treated(LIGHTS[None], primaries={f"{name}_hue": way}).astype(float))
                turn = (after[0] - before[0] + 180)[0] % 360 - 180
                with self.subTest(name=name, way=way):
                    self.assertGreater(np.sign(way) * turn[k], 4)
                    self.assertLess(np.abs(np.delete(turn, k)).max(), 0.5)

    def test_a_primary_becomes_purer(self):
        purer = hue_and_saturation(treated(LIGHTS[None], primaries={"green_saturation": 0.8}).astype(float))[1]
        before = hue_and_saturation(LIGHTS[None].astype(float))[1]
        self.assertLess(purer[0, 1], 0.9 * before[0, 1])
        np.testing.assert_allclose(np.delete(purer[0], 1), np.delete(before[0], 1), rtol=0.01)


class Channels(unittest.TestCase):
    def test_rows_keep_grey_grey(self):
        shares = np.array([[0.4, 0.3, 0.1], [0.0, 1.5, 0.2], [-0.5, 0.0, 0.9]])
        np.testing.assert_allclose(mixing_matrix(shares, True) @ np.ones(3), np.ones(3), atol=1e-12)
        np.testing.assert_allclose(mixing_matrix(shares, False), shares)

    def test_exchange_is_its_own_way_back(self):
        once = treated(CHART, channels={"exchange": True})
        np.testing.assert_allclose(once, CHART[..., ::-1], rtol=1e-6)
        np.testing.assert_allclose(treated(once, channels={"exchange": True}), CHART, rtol=1e-6)

    def test_parts_are_what_they_say(self):
        mixed = treated(CHART, channels={"grey": False, "red_red": 60, "red_green": 30, "red_blue": 10})
        np.testing.assert_allclose(mixed[..., 0], CHART @ np.array([0.6, 0.3, 0.1], np.float32), rtol=1e-4)
        np.testing.assert_allclose(mixed[..., 1:], CHART[..., 1:], rtol=1e-5)


class Inks(unittest.TestCase):
    def test_an_ink_takes_the_light_that_it_takes(self):
        red = colours(np.array([[29.2, 194.8]]), 0.2, 0.4)
        after = treated(red, inks={"red_cyan": 0.5})
        ratios = np.log2(after / red)
        self.assertLess(ratios[0, 0, 0] - ratios[0, 0, 1], -0.3)
        np.testing.assert_allclose(after[0, 1], red[0, 1], rtol=2e-3)

    def test_black_alone_takes_lightness(self):
        blue = colours(264.1, 0.2, 0.4)[None, None]
        for ink in INKS:
            _, light, _ = drift(blue, treated(blue, inks={f"blue_{ink}": 0.6}))
            if ink == "black":
                self.assertLess(light[0, 0], -3)
            else:
                self.assertLess(abs(light[0, 0]), 0.1)

    def test_whites_neutrals_and_blacks(self):
        stops = np.log2(GREYS[0, :, 0])
        for family, where in (("white", stops > -0.3), ("neutral", np.abs(stops + 3.7) < 1.6), ("black", stops < -7.6)):
            taken = -np.log2(treated(GREYS, inks={f"{family}_black": 0.5}) / GREYS)[0, :, 0]
            with self.subTest(family=family):
                np.testing.assert_allclose(taken[where], 0.5, atol=0.02)
                away = {"white": stops < -2.1, "neutral": (stops < -7.6) | (stops > -0.3), "black": stops > -5.4}[
                    family
                ]
                np.testing.assert_allclose(taken[away], 0, atol=0.02)

    def test_all_families_together_are_all_of_the_picture(self):
        values = {f"{family}_black": 0.4 for family in FAMILIES}
        taken = -np.log2(treated(CHART, inks=values) / CHART)
        np.testing.assert_allclose(taken, 0.4, atol=0.02)


class Monochrome(unittest.TestCase):
    def test_no_colour_is_left_and_lightness_stays(self):
        after = treated(CHART, monochrome={"amount": 100})
        self.assertLess(hue_and_saturation(after.astype(float))[1].max(), 2e-4)
        self.assertLess(np.abs(drift(CHART, after)[1]).max(), 0.02)

    def test_half_of_it(self):
        _, _, ratio = drift(CHART[1:], treated(CHART[1:], monochrome={"amount": 50}))
        np.testing.assert_allclose(ratio, 0.5, atol=0.005)

    def test_weights_go_by_hue(self):
        both = colours(np.array([[264.1, 62.0]]), 0.2, 0.4)
        after = treated(both, monochrome={"amount": 100, "blue": -1, "orange": 0.5})
        even = treated(both, monochrome={"amount": 100})
        np.testing.assert_allclose(np.log2(after / even)[0, :, 1], [-1, 0.5], atol=0.03)

    def test_weights_say_nothing_in_a_picture_with_colours(self):
        np.testing.assert_array_equal(treated(CHART, monochrome={"blue": -1}), CHART)


if __name__ == "__main__":
    unittest.main()
