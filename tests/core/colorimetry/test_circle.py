"""Arcs and partitions: full inside, nothing outside, smooth between, and never more or less than all."""

import unittest

import numpy as np

from crenn.core.colorimetry.circle import BLUE, CYAN, GREEN, MAGENTA, RED, YELLOW, arc, by_stop, parts

HUES = np.arange(0, 360, 0.05)


class Arcs(unittest.TestCase):
    def test_what_lies_inside_is_taken_whole_and_what_lies_beyond_not_at_all(self):
        share = arc(HUES, 350, 40, 30)
        away = np.abs((HUES - 350 + 180) % 360 - 180)
        self.assertTrue((share[away <= 20] == 1).all())
        self.assertTrue((share[away >= 50.01] == 0).all())
        self.assertTrue((np.diff(share[(HUES > 10) & (HUES < 40)]) <= 0).all())

    def test_no_step_at_any_place_of_the_circle(self):
        for width, soft in ((5, 20), (40, 30), (300, 120)):
            share = arc(HUES, 123, width, soft)
            self.assertLess(np.abs(np.diff(share, append=share[0])).max(), 0.05 * 1.6 / soft)


class Partitions(unittest.TestCase):
    def test_families_share_the_circle(self):
        middles = (RED, YELLOW, GREEN, CYAN, BLUE, MAGENTA)
        shares = np.array(parts(HUES, middles))
        np.testing.assert_allclose(shares.sum(0), 1, atol=1e-12)
        self.assertGreaterEqual(shares.min(), 0)
        for middle, share in zip(middles, shares):
            self.assertAlmostEqual(HUES[share.argmax()], middle, delta=0.1)
        self.assertTrue(((shares > 0).sum(0) <= 2).all())

    def test_tones_share_the_stops(self):
        stops = np.linspace(-14, 4, 500)
        shares = np.array(by_stop(stops, (-6.0, -3.5, -1.0)))
        np.testing.assert_allclose(shares.sum(0), 1, atol=1e-12)
        self.assertTrue((shares[0][stops <= -6] == 1).all())
        self.assertTrue((shares[2][stops >= -1] == 1).all())

    def test_one_alone_takes_all(self):
        np.testing.assert_array_equal(by_stop(np.array([-9.0, 2.0]), (-3.0,))[0], [1, 1])


if __name__ == "__main__":
    unittest.main()
