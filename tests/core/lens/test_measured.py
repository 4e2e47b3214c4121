"""What a picture itself tells of its lens: fall-off by even places, distortion by edges."""

import unittest

import numpy as np
from scipy.ndimage import gaussian_filter
from scipy.special import expit

from crenn.core.errors import CrennError
from crenn.core.lens.bent import distortion_by, follow_edge
from crenn.core.lens.falloff import measure_falloff

SIZE = (400, 600)
MIDDLE = np.array([300.0, 200.0])
HALF = float(np.hypot(*MIDDLE))
Y, X = np.mgrid[: SIZE[0], : SIZE[1]] + 0.5
RADIUS = np.hypot(X - MIDDLE[0], Y - MIDDLE[1]) / HALF


def evening(seed: int = 3) -> np.ndarray:
    """A sky that brightens downwards over uneven ground with lit houses, float32 (H, W, 3)."""
    rng = np.random.default_rng(seed)
    stops = -3.0 + 1.5 * Y / SIZE[0] + 0.15 * gaussian_filter(rng.standard_normal(SIZE), 25) * 25
    ground = 260 + 20 * np.sin(X / 50) < Y
    stops = np.where(ground, -6 + 0.8 * gaussian_filter(rng.standard_normal(SIZE), 2) * 2, stops)
    for x in rng.uniform(20, 580, 12):
        stops[(np.abs(X - x) < 8) & (np.abs(Y - 300) < 12)] = 1.0
    return np.exp2(np.repeat(stops[..., None], 3, -1)).astype(np.float32)


class Falloff(unittest.TestCase):
    def test_what_a_lens_took_is_found(self):
        for taken, steepness in ((0.6, 2.0), (1.5, 3.0), (2.0, 2.5)):
            rgb = evening() * np.exp2(-taken * RADIUS**steepness)[..., None].astype(np.float32)
            found, power = measure_falloff(rgb, 1e-4, MIDDLE, HALF)
            off = (found * RADIUS**power - taken * RADIUS**steepness)[RADIUS < 0.95]
            with self.subTest(taken=taken):
                self.assertLess(np.abs(off).max(), 0.2)

    def test_a_lens_without_takes_little(self):
        found, _ = measure_falloff(evening(), 1e-4, MIDDLE, HALF)
        self.assertLess(abs(found), 0.15)

    def test_the_lens_may_look_past_the_middle(self):
        middle = MIDDLE + (60, -20)
        radius = np.hypot(X - middle[0], Y - middle[1]) / HALF
        rgb = evening() * np.exp2(-1.5 * radius**2)[..., None].astype(np.float32)
        found, power = measure_falloff(rgb, 1e-4, middle, HALF)
        self.assertLess(abs(found * 0.8**power - 1.5 * 0.8**2), 0.2)

    def test_noise_alone_says_nothing(self):
        dark = np.full((*SIZE, 3), 1e-5, np.float32)
        with self.assertRaisesRegex(CrennError, "too few even places"):
            measure_falloff(dark, 1e-4, MIDDLE, HALF)


def recorded(distortion: float) -> tuple[np.ndarray, np.ndarray]:
    """A house front under a distortion in percent: its light, float32 (H, W, 3), and where each pixel belongs."""
    ideal = np.stack([X, Y], -1) - MIDDLE
    seen = ideal.copy()
    for _ in range(40):
        ideal = seen / (1 + distortion / 100 * (ideal**2).sum(-1, keepdims=True) / HALF**2)
    x, y = (ideal + MIDDLE)[..., 0], (ideal + MIDDLE)[..., 1]
    inside = expit(2 * (x - 90)) * expit(2 * (520 - x)) * expit(2 * (y - 40)) * expit(2 * (370 - y))
    light = (0.05 + 0.15 * inside) * (1 + 0.1 * np.sin(x / 3) * np.sin(y / 4))
    return np.repeat(light[..., None], 3, -1).astype(np.float32), ideal + MIDDLE


def straightened(places: np.ndarray, distortion: float) -> np.ndarray:
    ideal = out = places - MIDDLE
    for _ in range(40):
        ideal = out / (1 + distortion / 100 * (ideal**2).sum(-1, keepdims=True) / HALF**2)
    return ideal + MIDDLE


def place(x: float, y: float, distortion: float) -> np.ndarray:
    """Where a lens drew a place."""
    out = np.array([x, y]) - MIDDLE
    return MIDDLE + out * (1 + distortion / 100 * (out @ out) / HALF**2)


class Distortion(unittest.TestCase):
    def line(self, distortion: float, a: tuple[float, float], b: tuple[float, float]) -> np.ndarray:
        return np.concatenate([place(*a, distortion), place(*b, distortion)])

    def test_by_one_edge_or_several(self):
        for distortion in (-6.0, -1.5, 0.0, 4.0):
            rgb, _ = recorded(distortion)
            roof = self.line(distortion, (95, 40), (515, 40))
            wall = self.line(distortion, (90, 45), (90, 365))
            for lines in ([roof], [roof, wall]):
                with self.subTest(distortion=distortion, lines=len(lines)):
                    self.assertAlmostEqual(distortion_by(rgb, np.array(lines), straightened), distortion, delta=0.4)

    def test_an_edge_is_followed_though_the_line_is_drawn_beside_it(self):
        rgb, _ = recorded(-6.0)
        stops = np.log2(rgb[..., 1])
        drawn = self.line(-6.0, (95, 40), (515, 40)) + (0, 2, 0, -2)
        course = follow_edge(stops, drawn[:2], drawn[2:])
        truth = np.array([straightened(p[None], -6.0)[0][1] for p in course])
        self.assertLess(np.percentile(np.abs(truth - 40), 90), 0.6)

    def test_what_says_nothing_is_refused(self):
        rgb, _ = recorded(-3.0)
        with self.assertRaisesRegex(CrennError, "too short"):
            distortion_by(rgb, np.array([[100, 40, 140, 40.0]]), straightened)
        with self.assertRaisesRegex(CrennError, "no clear edge"):
            even = np.full((*SIZE, 3), 0.1, np.float32)
            distortion_by(even, np.array([[100, 40, 500, 40.0]]), straightened)

    def test_an_edge_through_the_middle_bends_under_no_lens(self):
        light = np.where(Y < 200, 0.05, 0.2)[..., None].repeat(3, -1)
        with self.assertRaisesRegex(CrennError, "do not tell"):
            distortion_by(light.astype(np.float32), np.array([[20, 200, 580, 200.0]]), straightened)
