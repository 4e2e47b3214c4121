"""Sites that jump or answer too little are mended in smooth places; stars and texture keep their light."""

import unittest

import cv2
import numpy as np

from crenn.core.mosaic.lone import mend_lone

SIZE = (240, 320)
DEVIATION = 0.002


def noisy(light: np.ndarray, seed: int = 2) -> np.ndarray:
    return (light + DEVIATION * np.random.default_rng(seed).standard_normal(light.shape)).astype(np.float32)


def variance() -> np.ndarray:
    return np.full(SIZE, DEVIATION**2, np.float32)


def ramp() -> np.ndarray:
    return np.broadcast_to(np.linspace(0.01, 0.2, SIZE[1], dtype=np.float32), SIZE).copy()


class Lone(unittest.TestCase):
    def test_sites_too_high_and_too_low_are_mended(self):
        light = ramp()
        mosaic = noisy(light)
        where = np.zeros(SIZE, bool)
        where[10:-10:12, 10:-10:12] = True
        # By 8 to 20 deviations, to either side.
        sides = np.random.default_rng(4).choice([-1, 1], int(where.sum()))
        mosaic[where] += sides * np.random.default_rng(5).uniform(8, 20, int(where.sum())) * DEVIATION
        mended = mend_lone(mosaic, variance())
        self.assertGreater(float(mended[where].mean()), 0.9)
        self.assertLess(float(mended[~where].mean()), 2e-4)
        self.assertLess(float(np.abs(mosaic - light)[mended & where].max()), 4 * DEVIATION)

    def test_faint_stars_keep_their_light(self):
        """Points as sharp as lenses draw them, their middles 3 to 25 deviations above the sky."""
        rng = np.random.default_rng(3)
        light = np.full(SIZE, 0.02, np.float32)
        y, x = np.mgrid[: SIZE[0], : SIZE[1]]
        for _ in range(300):
            cy, cx = rng.uniform(8, SIZE[0] - 8), rng.uniform(8, SIZE[1] - 8)
            near = np.s_[int(cy) - 6 : int(cy) + 7, int(cx) - 6 : int(cx) + 7]
            d = (y[near] - cy) ** 2 + (x[near] - cx) ** 2
            light[near] += (rng.uniform(3, 25) * DEVIATION * np.exp(-d / (2 * 0.8**2))).astype(np.float32)
        stars = light > 0.0205
        lost = 0.0
        for seed in range(4):
            mosaic = noisy(light, seed)
            before = mosaic.copy()
            mend_lone(mosaic, variance())
            lost += float((before - mosaic)[stars].sum()) / 4
        self.assertLess(abs(lost), 0.005 * float((light - 0.02).sum()))

    def test_texture_is_left_alone(self):
        grain = cv2.GaussianBlur(np.random.default_rng(1).standard_normal(SIZE), (0, 0), 1.0)
        mosaic = noisy((0.08 + 0.05 * grain).astype(np.float32))
        self.assertLess(float(mend_lone(mosaic, variance()).mean()), 2e-4)
