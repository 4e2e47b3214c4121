"""Departures and lines that correct a picture, on sums that are known."""

import unittest

import numpy as np

from crenn.core.mosaic.corrections import with_departures, with_lines

SIZE = 40, 60


def picture() -> np.ndarray:
    rng = np.random.default_rng(4)
    return rng.uniform(0.1, 0.4, (3, *SIZE)).astype(np.float32)


class Departures(unittest.TestCase):
    def sums(self, departure: np.ndarray, weight: float, variance: float) -> np.ndarray:
        """Of one site at each place, of a weight, whose noise has a variance."""
        out = np.empty((3, 4, *SIZE), np.float32)
        out[:, 0], out[:, 1], out[:, 2], out[:, 3] = weight * departure, weight, weight**2 * variance, weight
        return out

    def test_where_nothing_was_gathered_it_stays(self):
        light = picture()
        np.testing.assert_array_equal(
            with_departures(light, np.zeros((3, 4, *SIZE), np.float32)), np.moveaxis(light, 0, -1)
        )

    def test_what_is_far_more_than_noise_is_taken_but_for_the_belief_in_none(self):
        light = picture()
        departure = np.zeros((3, *SIZE), np.float32)
        departure[1] = 0.02
        out = with_departures(light, self.sums(departure, 1e4, 1e-10))
        green = out[..., 1] - light[1]
        np.testing.assert_allclose(green, 0.02 / 1.1, rtol=1e-3)
        for c in (0, 2):
            # Red and blue go along in proportion; that their sites do not depart takes most of it back.
            along = green * np.minimum(light[c] / light[1], 2)
            np.testing.assert_allclose(out[..., c] - light[c], along * (1 - 1 / 1.3), rtol=1e-2)

    def test_noise_is_hardly_taken(self):
        light = picture()
        noise = np.random.default_rng(5).normal(0, 0.01, (3, *SIZE)).astype(np.float32)
        out = with_departures(light, self.sums(noise, 1e4, 1e-4))
        left = (out - np.moveaxis(light, 0, -1)).std((0, 1))
        self.assertLess(left[1], 0.4 * noise.std())


class Lines(unittest.TestCase):
    def moments(self, green: np.ndarray, value: np.ndarray, predicted: np.ndarray, noise: float) -> np.ndarray:
        """Sums over many sites at each place, whose greens and values lie about those that are given."""
        weight, out = 1 / noise, np.zeros((3, 8, *SIZE), np.float32)
        off = (value - predicted) ** 2
        terms = np.ones(SIZE), green, value, green**2, green * value, value**2, off
        for c in (0, 2):
            for k, term in enumerate(terms):
                out[c, k] = weight * term
            out[c, 7] = 1
        return out

    def test_a_line_that_sites_follow_is_taken_and_green_stays(self):
        light = picture()
        noise = np.full(SIZE, 1e-8, np.float32)
        red = 2 * light[1] - 0.1
        out = with_lines(light, self.moments(light[1], red, light[0], 1e-8), noise)
        np.testing.assert_array_equal(out[..., 1], light[1])
        inner = np.s_[8:-8, 8:-8]
        before, after = (np.abs(v - red)[inner].mean() for v in (light[0], out[..., 0]))
        self.assertLess(after, 0.1 * before)

    def test_where_no_site_tells_it_stays(self):
        light = picture()
        out = with_lines(light, np.zeros((3, 8, *SIZE), np.float32), np.full(SIZE, 1e-8, np.float32))
        np.testing.assert_array_equal(out, np.moveaxis(light, 0, -1))

    def test_a_picture_that_fits_is_left(self):
        light = picture()
        noise = np.full(SIZE, 1e-4, np.float32)
        out = with_lines(light, self.moments(light[1], light[0], light[0], 1e-4), noise)
        self.assertLess(np.abs(out[..., 0] - light[0]).mean(), 0.25 * np.abs(light[0] - light[0].mean()).mean())
