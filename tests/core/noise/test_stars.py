"""Stars are told from all else: small, lone points that stand out from the noise."""

import unittest

import numpy as np

from crenn.core.noise.stars import star_shares, stars_in

SIZE = (160, 200)
#: Rows and columns of stars, and their peaks over a sky of 0.01 with noise of 0.0004.
STARS = [(30, 40, 0.02), (40, 150, 0.2), (90, 60, 0.01), (120, 120, 1.0), (124, 125, 0.3)]
NOISE = 0.0004


def sky() -> np.ndarray:
    y, x = np.mgrid[: SIZE[0], : SIZE[1]].astype(np.float32)
    light = 0.01 + 0.00002 * x
    for row, column, peak in STARS:
        light += peak * np.exp(-((y - row) ** 2 + (x - column) ** 2) / (2 * 0.8**2))
    return (light + NOISE * np.random.default_rng(4).standard_normal(SIZE)).astype(np.float32)


class Found(unittest.TestCase):
    def setUp(self):
        self.deviation = np.full(SIZE, NOISE, np.float32)

    def test_stars_are_found_with_neighbours_near(self):
        shares = star_shares(sky(), self.deviation)
        for row, column, peak in STARS:
            self.assertGreater(shares[row, column], 0.8, f"star of {peak} at {row}, {column}")

    def test_next_to_nothing_else_is(self):
        shares = star_shares(sky(), self.deviation)
        self.assertLess((shares > 0.1).mean(), len(STARS) * 49 / np.prod(SIZE) * 1.5)

    def test_noise_alone_is_no_star(self):
        noise = 0.01 + NOISE * np.random.default_rng(9).standard_normal(SIZE).astype(np.float32)
        self.assertLess((star_shares(noise, self.deviation) > 0.1).mean(), 1e-3)

    def test_corners_edges_masts_and_lamps_are_no_stars(self):
        light = np.full(SIZE, 0.01, np.float32)
        light[20:80, 20:80] = 0.3
        light[100:150, 60] = 0.3
        y, x = np.mgrid[: SIZE[0], : SIZE[1]]
        light[(y - 50) ** 2 + (x - 150) ** 2 < 100] = 5.0
        shares = star_shares(light, self.deviation)
        for where in (np.s_[15:85, 15:85], np.s_[104:146, 56:65], np.s_[36:64, 136:164]):
            self.assertLess(shares[where].max(), 0.1)

    def test_how_much_around_a_star_belongs_to_it_can_be_chosen(self):
        row, column, _ = STARS[1]
        near, far = (star_shares(sky(), self.deviation, radius) for radius in (2, 5))
        self.assertLess(near[row, column + 5], 0.1)
        self.assertGreater(far[row, column + 4], 0.8)

    def test_a_part_of_a_scene_is_told_as_in_the_whole(self):
        rgb, sigma = (np.repeat(p[..., None], 3, -1) for p in (sky(), self.deviation))
        whole = stars_in(rgb, sigma, (0, 0, *SIZE))
        part = stars_in(rgb, sigma, (60, 80, 80, 100))
        np.testing.assert_allclose(part[8:-8, 8:-8], whole[68:132, 88:172], atol=0.05)
