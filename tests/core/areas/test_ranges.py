"""Ranges of light and colour, on light whose stops and colours are known."""

import unittest
from itertools import pairwise

import numpy as np
from pydantic import ValidationError

from crenn.core.areas.appearance import appearance_features
from crenn.core.areas.ranges import HIGHEST, LOWEST, ColourRange, LightRange, Pick
from tests.core.areas.scenery import shares

#: A ramp of grey from -12 to 0 EV, and its places.
STOPS = np.linspace(-12, 0, 600)
GREY = np.repeat(np.exp2(STOPS)[None, :, None], 3, 2).astype(np.float32).repeat(40, 0)
Y, X = (v.astype(np.float32) / 600 for v in np.mgrid[:40, :600])


class LightRanges(unittest.TestCase):
    def share(self, **about) -> np.ndarray:
        return shares(LightRange(**about), X, Y, GREY)[20]

    def test_it_is_half_where_it_begins_and_ends_and_fades_as_softly_as_it_should(self):
        mask = self.share(low=-8, high=-3, soft_low=2.0, soft_high=0.5)
        for stop, wanted in ((-8, 0.5), (-9, 0), (-7, 1), (-3, 0.5), (-3.25, 1), (-2.75, 0)):
            with self.subTest(stop=stop):
                self.assertAlmostEqual(float(np.interp(stop, STOPS, mask)), wanted, delta=0.01)

    def test_an_open_end_takes_all_that_lies_beyond(self):
        self.assertEqual(float(self.share(low=LOWEST, high=-6)[0]), 1.0)
        self.assertEqual(float(self.share(low=-6, high=HIGHEST)[-1]), 1.0)
        np.testing.assert_array_equal(self.share(), 1.0)

    def test_what_cannot_be_is_refused(self):
        for about in ({"low": -3, "high": -4}, {"low": -99}, {"soft_low": 0}, {"high": float("nan")}):
            with self.subTest(**about), self.assertRaises(ValidationError):
                LightRange(**about)


class ColourRanges(unittest.TestCase):
    """Six patches of paint, each in light of six stops."""

    @classmethod
    def setUpClass(cls):
        paints = np.array(
            [[0.8, 0.2, 0.1], [0.7, 0.5, 0.1], [0.2, 0.6, 0.2], [0.1, 0.3, 0.8], [0.5, 0.1, 0.6], [0.4] * 3]
        )
        light = np.exp2(-np.arange(6.0))
        cls.patches = (paints[None] * light[:, None, None]).astype(np.float32)
        cls.told = appearance_features(cls.patches, 1e-4)
        cls.rgb = cls.patches.repeat(20, 0).repeat(20, 1)
        cls.y, cls.x = (v.astype(np.float32) / 120 for v in np.mgrid[:120, :120])

    def pick(self, row: int, column: int) -> Pick:
        stop, a, b = (float(v) for v in self.told[row, column])
        return Pick(a=a, b=b, stop=stop)

    def shares(self, **about) -> np.ndarray:
        """Share of the middle of each patch, (6 lights, 6 paints)."""
        return shares(ColourRange(**about), self.x, self.y, self.rgb)[10::20, 10::20]

    def test_it_takes_the_paint_that_was_picked_in_any_light_and_no_other(self):
        for column in range(6):
            found = self.shares(picks=[self.pick(0, column)])
            with self.subTest(paint=column):
                np.testing.assert_allclose(found[:, column], 1.0, atol=0.01)
                self.assertLess(float(np.delete(found, column, 1).max()), 0.05)

    def test_several_picks_take_what_either_does(self):
        both = self.shares(picks=[self.pick(0, 0), self.pick(0, 3)])
        np.testing.assert_allclose(both[:, [0, 3]], 1.0, atol=0.01)
        self.assertLess(float(both[:, [2, 4, 5]].max()), 0.05)

    def test_it_takes_more_the_wider_it_is(self):
        widths = [self.shares(picks=[self.pick(0, 0)], width=w) for w in (4, 15, 60)]
        for narrow, wide in pairwise(widths):
            self.assertTrue((wide >= narrow - 1e-6).all())
        self.assertGreater(float(widths[-1][0, 1]), float(widths[0][0, 1]))

    def test_its_depth_keeps_it_to_light_like_that_which_was_picked(self):
        found = self.shares(picks=[self.pick(2, 1)], depth=1.5)[:, 1]
        self.assertGreater(float(found[2]), 0.99)
        self.assertLess(float(found[[0, 4, 5]].max()), 0.3)
        self.assertTrue(found[2] >= found[1] >= found[0])

    def test_what_cannot_be_is_refused(self):
        pick = self.pick(0, 0)
        for about in (
            {"picks": []},
            {"picks": [pick] * 13},
            {"picks": [pick], "width": 0},
            {"picks": [{"a": 9, "b": 0, "stop": 0}]},
        ):
            with self.subTest(about=str(about)[:40]), self.assertRaises(ValidationError):
                ColourRange.model_validate(about)


class Surfaces(unittest.TestCase):
    def test_light_of_any_level_has_the_same_axes(self):
        rgb = np.array([[[0.4, 0.2, 0.05]]], np.float32)
        one, other = appearance_features(rgb, 1e-5), appearance_features(rgb / 64, 1e-5)
        np.testing.assert_allclose(one[..., 1:], other[..., 1:], atol=1e-3)
        self.assertAlmostEqual(float(one[0, 0, 0] - other[0, 0, 0]), 6.0, places=3)

    def test_below_the_floor_all_is_alike(self):
        rng = np.random.default_rng(0)
        noise = appearance_features(rng.normal(0, 1e-5, (20, 20, 3)).astype(np.float32), 1e-2)
        self.assertLess(float(np.ptp(noise[..., 0])), 1e-6)
        self.assertLess(float(np.abs(noise[..., 1:]).max()), 0.01)
