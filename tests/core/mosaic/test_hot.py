"""Hot sites are mended, in flat ground and in texture; stars and texture stay."""

import unittest

import cv2
import numpy as np

from crenn.core.mosaic.hot import mend_hot

SIZE = (240, 320)
DEVIATION = 0.002


def ground(seed: int = 1) -> np.ndarray:
    """Texture as a lens draws it, beside a bright field, of one colour for all sites, float32 (H, W)."""
    rng = np.random.default_rng(seed)
    light = 0.05 + 0.015 * cv2.GaussianBlur(rng.standard_normal(SIZE), (0, 0), 1.5) / 0.19
    light[:, 200:] += 0.3
    return np.maximum(cv2.GaussianBlur(light, (0, 0), 0.8), 0.005).astype(np.float32)


def noisy(light: np.ndarray, seed: int = 2) -> np.ndarray:
    noise = DEVIATION * np.random.default_rng(seed).standard_normal(SIZE)
    return (light + noise).astype(np.float32)


def variance() -> np.ndarray:
    return np.full(SIZE, DEVIATION**2, np.float32)


class Hot(unittest.TestCase):
    def hot(self) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        """Texture, the same with hot sites, and where those are."""
        light = ground()
        rng = np.random.default_rng(7)
        where = np.zeros(SIZE, bool)
        where[8:-8:14, 8:-8:14] = True
        mosaic = noisy(light)
        mosaic[where] += rng.exponential(0.4, int(where.sum())).astype(np.float32) + 0.15
        return light, mosaic, where

    def test_lone_sites_are_mended_to_their_surroundings(self):
        rng = np.random.default_rng(8)
        light = (0.01 + 0.0005 * rng.standard_normal((100, 140))).astype(np.float32)
        variance = np.full(light.shape, 0.0005**2, np.float32)
        places = [(20, 31), (50, 70), (77, 12)]
        for place in places:
            light[place] = 0.4
        self.assertEqual(sorted(map(tuple, np.argwhere(mend_hot(light, variance)))), places)
        self.assertLess(np.abs(light - 0.01).max(), 0.005)

    def test_they_are_mended_by_what_is_beside_them(self):
        light, mosaic, where = self.hot()
        count = mend_hot(mosaic, variance()).sum()
        stops = np.abs(np.log2(mosaic[where] / light[where]))
        self.assertLess(float((stops > 0.3).mean()), 0.05)
        self.assertGreaterEqual(count, 0.94 * where.sum())

    def test_the_rest_stays_as_it_is(self):
        _, mosaic, where = self.hot()
        before = mosaic.copy()
        mend_hot(mosaic, variance())
        self.assertLess(int((mosaic != before)[~where].sum()), 4)

    def test_texture_alone_is_left_alone(self):
        mosaic = noisy(ground(5))
        before = mosaic.copy()
        mend_hot(mosaic, variance())
        self.assertLess(int((mosaic != before).sum()), 4)

    def test_stars_are_left_alone_however_sharp(self):
        rng = np.random.default_rng(3)
        light = np.full(SIZE, 0.02, np.float32)
        y, x = np.mgrid[: SIZE[0], : SIZE[1]]
        for _ in range(120):
            cy, cx = rng.uniform(8, SIZE[0] - 8), rng.uniform(8, SIZE[1] - 8)
            width = rng.uniform(0.6, 1.2)
            near = np.s_[int(cy) - 6 : int(cy) + 7, int(cx) - 6 : int(cx) + 7]
            d = (y[near] - cy) ** 2 + (x[near] - cx) ** 2
            light[near] += (rng.uniform(0.05, 2.0) * np.exp(-d / (2 * width**2))).astype(np.float32)
        mosaic = noisy(light)
        before = mosaic.copy()
        mend_hot(mosaic, variance())
        self.assertEqual(int((mosaic != before).sum()), 0)

    def striped(self) -> np.ndarray:
        """Bold stripes as a lens draws them: neighbours of one colour differ by more than a hot site stands out."""
        y, x = np.mgrid[: SIZE[0], : SIZE[1]]
        return (0.12 + 0.1 * np.sin(2 * np.pi * (x + 0.1 * y) / 12)).astype(np.float32)

    def test_in_the_midst_of_stripes_they_are_found_as_well(self):
        light = self.striped()
        mosaic = noisy(light)
        where = np.zeros(SIZE, bool)
        where[10:-10:13, 10:-10:17] = True
        mosaic[where] += 0.2
        before = mosaic.copy()
        mend_hot(mosaic, variance())
        self.assertGreater(float((mosaic != before)[where].mean()), 0.6)
        self.assertEqual(int((mosaic != before)[~where].sum()), 0)

    def test_stripes_and_stars_over_them_are_left_alone(self):
        light = self.striped()
        y, x = np.mgrid[: SIZE[0], : SIZE[1]]
        for cy, cx in ((60.2, 80.4), (131.5, 200.0), (180.7, 55.3)):
            light += (0.6 * np.exp(-((y - cy) ** 2 + (x - cx) ** 2) / (2 * 0.6**2))).astype(np.float32)
        mosaic = noisy(light)
        before = mosaic.copy()
        mend_hot(mosaic, variance())
        self.assertEqual(int((mosaic != before).sum()), 0)

    def test_noise_is_none(self):
        mosaic = noisy(np.full(SIZE, 0.05, np.float32))
        self.assertFalse(mend_hot(mosaic, variance()).any())


if __name__ == "__main__":
    unittest.main()
