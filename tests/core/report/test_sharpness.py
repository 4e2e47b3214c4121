"""The blur of a picture's sharpest edges, against pictures whose blur is known."""

import unittest

import cv2
import numpy as np

from crenn.core.report.sharpness import blur_of
from tests.support import night


def panes(blur: float, noise: float = 0.002, size: int = 420) -> np.ndarray:
    """Triangles of many greys, drawn four times as large, blurred and reduced; float32 (size, size)."""
    rng, fine = np.random.default_rng(2), 4
    out = np.full((size * fine, size * fine), 0.2, np.float32)
    for _ in range(36):
        middle, turn, radius = rng.uniform(0, size * fine, 2), rng.uniform(0, 2 * np.pi), rng.uniform(20, 80) * fine
        corners = [middle + radius * np.array([np.cos(turn + t), np.sin(turn + t)]) for t in (0, 2.1, 4.2)]
        cv2.fillPoly(out, [np.array(corners, np.int32)], float(rng.uniform(0.05, 1)))
    out = cv2.resize(cv2.GaussianBlur(out, (0, 0), blur * fine), None, fx=0.25, fy=0.25, interpolation=cv2.INTER_AREA)
    return np.maximum(out + noise * rng.standard_normal(out.shape), 1e-4).astype(np.float32)


def grey(plane: np.ndarray) -> np.ndarray:
    return np.repeat(plane[..., None], 3, -1)


class Blur(unittest.TestCase):
    def test_it_is_found_to_a_tenth_of_a_pixel(self):
        for blur in (0.5, 0.8, 1.2, 1.8):
            # A pixel takes the mean over its area, which blurs as well.
            truth = float(np.hypot(blur, np.sqrt(1 / 12)))
            light = panes(blur)
            found = blur_of(grey(light), grey(np.full_like(light, 0.002)))
            self.assertAlmostEqual(found, truth, delta=0.1, msg=f"blur {blur}")

    def test_what_is_out_of_focus_does_not_count(self):
        sharp, soft = panes(0.7), panes(4.0)
        light = np.where(np.arange(420)[:, None] < 210, sharp, soft)
        both = blur_of(grey(light), grey(np.full_like(light, 0.002)))
        self.assertAlmostEqual(both, np.hypot(0.7, np.sqrt(1 / 12)), delta=0.12)

    def test_light_makes_no_difference(self):
        light, sigma = panes(1.0), np.full((420, 420), 0.002, np.float32)
        bright = blur_of(grey(light), grey(sigma))
        self.assertAlmostEqual(blur_of(grey(light * 2**-9), grey(sigma * 2**-9)), bright, delta=0.02)

    def test_noise_and_even_ground_tell_nothing(self):
        light = 0.1 + 0.01 * np.random.default_rng(1).standard_normal((300, 300)).astype(np.float32)
        self.assertIsNone(blur_of(grey(light), grey(np.full_like(light, 0.01))))
        self.assertIsNone(blur_of(grey(np.full((300, 300), 0.1, np.float32))))

    def test_edges_of_what_was_lost_do_not_count(self):
        light = panes(1.0)
        cut = np.minimum(light, 0.25)
        lost = (light >= 0.25).astype(np.uint8) * 7
        told = blur_of(grey(cut), None, np.zeros_like(lost))
        without = blur_of(grey(cut), None, lost)
        truth = np.hypot(1.0, np.sqrt(1 / 12))
        self.assertLess(told, truth - 0.15, "an edge that is cut off looks sharper than it is")
        self.assertTrue(without is None or abs(without - truth) < abs(told - truth))

    def test_small_and_odd_pictures_are_looked_at_too(self):
        self.assertIsNone(blur_of(np.ones((5, 7, 3), np.float32)))
        self.assertIsNone(blur_of(np.ones((1, 1, 3), np.float32)))
        found = blur_of(night())
        self.assertTrue(found is None or 0 <= found < 1)
