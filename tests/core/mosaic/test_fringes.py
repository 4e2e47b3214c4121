"""Lateral colour on the mosaic: measured, told from a lens without, and taken back."""

import unittest

import numpy as np

from crenn.core.mosaic.bayer import sites
from crenn.core.mosaic.fringes import measure_fringes, take_fringes
from crenn.core.pipeline.fringes import Fringes

PATTERN = np.array([[0, 1], [1, 2]], np.uint8)
SIZE = (800, 1200)
FLOOR = 1e-3
SEEN = Fringes((0.0008, 0.0005), (-0.0006, -0.0004))


def wall(x: np.ndarray, y: np.ndarray) -> np.ndarray:
    """A wall of uneven stones at places in pixels, as soft as a good lens draws it."""
    light = np.full(x.shape, 0.05)
    rng = np.random.default_rng(5)
    for angle in np.radians((10, 55, 100, 145, 77, 32)):
        along = x * np.cos(angle) + y * np.sin(angle)
        light = light * (1 + 0.5 * np.tanh(3 * np.sin(along / rng.uniform(7, 12) + rng.uniform(0, 6))))
    return light


def mosaic(fringes: Fringes, tints=(0.7, 1.0, 1.3), noise: float = 0.0) -> np.ndarray:
    """The wall as a lens draws it on a mosaic, from the definition of its fringes, float32 (H, W)."""
    y, x = np.mgrid[: SIZE[0], : SIZE[1]].astype(np.float64)
    middle, half = np.array([SIZE[1] - 1, SIZE[0] - 1]) / 2, np.hypot(*SIZE) / 2
    out = np.empty(SIZE, np.float32)
    for channel, where in sites(PATTERN):
        px, py = x[where] - middle[0], y[where] - middle[1]
        drawn = np.hypot(px, py) / half
        belongs = drawn.copy()
        for _ in range(20):
            belongs = drawn / fringes.factor(belongs, channel)
        factor = belongs / np.maximum(drawn, 1e-9)
        out[where] = tints[channel] * wall(middle[0] + px * factor, middle[1] + py * factor)
    return out + np.float32(noise) * np.random.default_rng(2).standard_normal(SIZE).astype(np.float32)


def off_at_corner(found: Fringes, truth: Fringes) -> float:
    """By how many sites the corners of red or blue would still lie off."""
    half = np.hypot(*SIZE) / 2
    return max(abs(found.factor(0.95, c) - truth.factor(0.95, c)) * 0.95 * half for c in (0, 2))


class Measured(unittest.TestCase):
    def test_what_a_lens_does_is_found(self):
        for seen in (SEEN, Fringes((-0.002, 0.001), (0.0015, 0.0))):
            with self.subTest(seen=seen):
                self.assertLess(off_at_corner(measure_fringes(mosaic(seen), PATTERN, FLOOR), seen), 0.1)

    def test_in_noise_too(self):
        found = measure_fringes(mosaic(SEEN, noise=0.004), PATTERN, 0.01)
        self.assertLess(off_at_corner(found, SEEN), 0.15)

    def test_a_lens_without_is_left_alone(self):
        for tints in ((0.7, 1.0, 1.3), (2.0, 1.0, 0.3)):
            found = measure_fringes(mosaic(Fringes(), tints), PATTERN, FLOOR)
            self.assertFalse(found.worth_taking(SIZE), tints)

    def test_an_even_picture_says_nothing(self):
        even = np.full(SIZE, 0.1, np.float32)
        even += np.random.default_rng(1).normal(0, 0.001, SIZE).astype(np.float32)
        found = measure_fringes(even, PATTERN, FLOOR)
        self.assertTrue(found is None or not found.worth_taking(SIZE))


class Taken(unittest.TestCase):
    def test_red_and_blue_come_to_lie_on_green(self):
        seen, right = mosaic(SEEN), mosaic(Fringes())
        light, variance = seen.copy(), np.full(SIZE, 1e-6, np.float32)
        take_fringes(light, variance, PATTERN, SEEN, FLOOR)
        inner = np.s_[20:-20, 20:-20]

        def off(light: np.ndarray) -> float:
            return float(np.abs(np.log2(light / right))[inner].mean())

        self.assertLess(off(light), off(seen) / 4)
        left = measure_fringes(light, PATTERN, FLOOR)
        self.assertFalse(left.worth_taking(SIZE))

    def test_green_is_not_touched(self):
        seen = mosaic(SEEN)
        light, variance = seen.copy(), np.full(SIZE, 1e-6, np.float32)
        take_fringes(light, variance, PATTERN, SEEN, FLOOR)
        for channel, where in sites(PATTERN):
            if channel == 1:
                np.testing.assert_array_equal(light[where], seen[where])
                self.assertTrue((variance[where] == np.float32(1e-6)).all())

    def test_noise_is_predicted(self):
        rng = np.random.default_rng(4)
        light = (0.3 + 0.003 * rng.standard_normal(SIZE)).astype(np.float32)
        variance = np.full(SIZE, 9e-6, np.float32)
        take_fringes(light, variance, PATTERN, SEEN, 0.01)
        for channel, where in sites(PATTERN):
            if channel != 1:
                left = light[where][10:-10, 10:-10]
                self.assertAlmostEqual(left.std() / np.sqrt(variance[where][10:-10, 10:-10].mean()), 1.0, delta=0.04)

    def test_a_lamp_does_not_ring(self):
        light = np.full(SIZE, 0.01, np.float32)
        light[100:106, 1000:1006] = 30.0
        take_fringes(light, np.full(SIZE, 1e-6, np.float32), PATTERN, SEEN, 0.002)
        self.assertGreater(light.min(), 0.0085)
        self.assertLessEqual(light.max(), 34.0)
