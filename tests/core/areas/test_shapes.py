"""Shapes of masks, against what they are by definition."""

import unittest

import numpy as np
from pydantic import ValidationError

from crenn.core.areas.shapes import Ellipse, Gradient
from tests.core.areas.scenery import shares

Y, X = (v.astype(np.float32) / 300 for v in np.mgrid[:200, :300])


def smooth(t: np.ndarray) -> np.ndarray:
    t = np.clip(t, 0, 1)
    return t * t * (3 - 2 * t)


class Gradients(unittest.TestCase):
    def test_it_falls_along_its_line_and_is_even_across(self):
        start, end = np.array([0.2, 0.1]), np.array([0.7, 0.5])
        mask = shares(Gradient(start=list(start), end=list(end)), X, Y)
        way = end - start
        along = ((X - start[0]) * way[0] + (Y - start[1]) * way[1]) / (way @ way)
        np.testing.assert_allclose(mask, smooth(1 - along), atol=2e-6)

    def test_it_is_full_before_its_start_and_nothing_after_its_end(self):
        mask = shares(Gradient(start=[0.4, 0.0], end=[0.6, 0.0]), X, Y)
        self.assertTrue((mask[:, X[0] <= 0.4] == 1).all())
        self.assertLess(float(mask[:, X[0] >= 0.6001].max()), 1e-6)
        self.assertAlmostEqual(float(mask[0, 150]), 0.5, places=5)

    def test_without_length_it_cannot_be(self):
        with self.assertRaisesRegex(ValidationError, "two places"):
            Gradient(start=[0.3, 0.3], end=[0.3, 0.30005])

    def test_half_lies_where_its_middle_is_put_and_its_ends_stay(self):
        for middle in (0.2, 0.5, 0.8):
            mask = shares(Gradient(start=[0.2, 0.0], end=[0.8, 0.0], middle=100 * middle), X, Y)[0]
            with self.subTest(middle=middle):
                at = 0.2 + middle * 0.6
                self.assertAlmostEqual(float(np.interp(at, X[0], mask)), 0.5, delta=0.01)
                self.assertTrue((np.diff(mask) <= 1e-6).all())
                self.assertAlmostEqual(float(mask[X[0] <= 0.2].min()), 1.0, places=6)
                self.assertAlmostEqual(float(mask[X[0] >= 0.8001].max()), 0.0, places=6)

    def test_its_lines_are_bent_to_arcs_by_so_much_a_length_aside(self):
        """By plane geometry: half is reached on a circle through the middle."""
        length, bow = 0.2, 0.4
        part = Gradient(start=[0.4, 0.33], end=[0.6, 0.33], bow=bow)
        mask = shares(part, X, Y)
        radius = length * (1 + bow**2) / (2 * bow)
        away = np.hypot(X - (0.5 + radius), Y - 0.33)
        expected = smooth(0.5 - (radius - away) / length)
        near = np.abs(Y - 0.33) < length
        np.testing.assert_allclose(mask[near], expected[near], atol=1e-4)
        row = round((0.33 + length) * 300)
        at = float(np.interp(-0.5, -mask[row], X[row]))
        self.assertAlmostEqual(at, 0.5 + bow * length, delta=0.005)


class Ellipses(unittest.TestCase):
    def test_it_is_half_on_the_ellipse_and_falls_by_its_feather(self):
        part = Ellipse(centre=[0.5, 0.3], radii=[0.3, 0.1], angle=25, feather=0.3)
        turn = np.radians(25)
        u = ((X - 0.5) * np.cos(turn) + (Y - 0.3) * np.sin(turn)) / 0.3
        v = (-(X - 0.5) * np.sin(turn) + (Y - 0.3) * np.cos(turn)) / 0.1
        radius = np.hypot(u, v)
        mask = shares(part, X, Y)
        np.testing.assert_allclose(mask, smooth(0.5 + (1 - radius) / 0.6), atol=1e-5)
        self.assertTrue((mask[radius < 0.69] == 1).all() and (mask[radius > 1.31] == 0).all())

    def test_a_circle_is_the_same_at_every_angle(self):
        one, other = (shares(Ellipse(centre=[0.4, 0.3], radii=[0.2, 0.2], angle=a), X, Y) for a in (0, 77))
        np.testing.assert_allclose(one, other, atol=1e-5)

    def test_what_cannot_be_is_refused(self):
        for values in (
            {"radii": [0.0, 0.1]},
            {"radii": [0.1]},
            {"radii": [0.1, 0.1], "feather": 0.0},
            {"radii": [0.1, 0.1], "feather": float("nan")},
            {"radii": [0.1, 0.1], "angle": float("inf")},
            {"radii": [0.1, 0.1], "centre": [9.0, 0.1]},
            {"radii": [0.1, 0.1], "mode": "xor"},
        ):
            with self.subTest(**values), self.assertRaises(ValidationError):
                Ellipse(**({"centre": [0.5, 0.3]} | values))
