"""Haze: known haze is found and taken away, and put on again."""

import unittest

import numpy as np

from crenn.core.colorimetry.spaces import luminance
from crenn.core.light.haze import haze_of
from crenn.core.pipeline.planes import PlaneContext
from crenn.core.radiance import RadianceMap
from crenn.core.render.pyramid import PreparedScene
from crenn.core.render.renderer import Renderer
from crenn.core.render.window import Window
from crenn.core.treatment import Treatment, parse_treatment

HEIGHT, WIDTH = 360, 540
AIR = np.array([0.5, 0.5, 0.52])


def clear(seed: int = 2) -> np.ndarray:
    """A village of coloured blocks with dark gaps, and a strip of bright sky above, float64 (H, W, 3)."""
    random = np.random.default_rng(seed)
    colours = random.uniform(0.02, 0.5, (HEIGHT // 20, WIDTH // 20, 3)) * random.uniform(
        0.1, 1, (HEIGHT // 20, WIDTH // 20, 1)
    )
    rgb = np.repeat(np.repeat(colours, 20, 0), 20, 1)
    rgb[::6] *= 0.05
    rgb[:, ::6] *= 0.05
    rgb[:60] = AIR
    return rgb


def through() -> np.ndarray:
    """How much light comes through: less from far off, at the top, float64 (H, 1, 1)."""
    return np.clip(np.linspace(0.35, 0.98, HEIGHT), 0, 1)[:, None, None]


def hazy() -> np.ndarray:
    rgb = clear() * through() + AIR * (1 - through())
    rgb[:60] = AIR
    return rgb.astype(np.float32)


def renderer(rgb: np.ndarray, sigma: np.ndarray | None = None) -> Renderer:
    return Renderer(PreparedScene.from_radiance(RadianceMap(rgb.astype(np.float32), sigma)))


def treated(rgb: np.ndarray, amount: float) -> np.ndarray:
    treatment = parse_treatment(Treatment.neutral().model_dump() | {"haze": {"on": True, "amount": amount}})
    return renderer(rgb).linear(treatment, Window.whole(rgb.shape[:2]))


class Finding(unittest.TestCase):
    def test_the_share_of_the_air_follows_how_far_off_things_are(self):
        share, air = haze_of(hazy(), PlaneContext(1.0, WIDTH, 1e-4))
        truth = np.broadcast_to(1 - through()[..., 0], share.shape)
        rows = np.s_[90:]
        self.assertLess(np.abs(share[rows] - truth[rows]).mean(), 0.1)
        self.assertGreater(np.corrcoef(share[rows].ravel(), truth[rows].ravel())[0, 1], 0.9)
        np.testing.assert_allclose(air, AIR, rtol=0.12)

    def test_clear_air_is_left_alone(self):
        share, _ = haze_of(clear().astype(np.float32), PlaneContext(1.0, WIDTH, 1e-4))
        self.assertLess(share[120:].mean(), 0.1)

    def test_noise_is_no_haze(self):
        noisy = PlaneContext(1.0, WIDTH, 1e-4, lambda stops: np.full(stops.shape, 3.0))
        self.assertLess(haze_of(hazy(), noisy)[0].max(), 0.02)

    def test_black_and_even_pictures(self):
        for rgb in (np.zeros((40, 60, 3), np.float32), np.full((40, 60, 3), 0.2, np.float32)):
            share, air = haze_of(rgb, PlaneContext(1.0, 60, 1e-4))
            self.assertTrue(np.isfinite(share).all())
            self.assertTrue((air > 0).all())


class Acting(unittest.TestCase):
    def test_nothing_is_nothing(self):
        np.testing.assert_array_equal(treated(hazy(), 0), hazy())

    def test_it_comes_nearer_to_the_clear_view(self):
        near = np.s_[90:]
        wanted = np.log2(np.maximum(clear(), 0.01))

        def away(rgb: np.ndarray) -> float:
            return float(np.abs(np.log2(np.maximum(rgb, 0.01)) - wanted)[near].mean())

        before = away(hazy())
        self.assertLess(away(treated(hazy(), 60)), 0.75 * before)
        self.assertLess(away(treated(hazy(), 100)), 0.6 * before)

    def test_mist_brings_things_nearer_to_the_air(self):
        before = hazy()
        after = treated(before, -80)
        far, close = np.s_[90:150], np.s_[300:]
        moved = [np.abs(after[rows] - before[rows]).mean() / before[rows].std() for rows in (far, close)]
        self.assertGreater(moved[0], 2 * moved[1])
        self.assertLess(after[far].std(), 0.9 * before[far].std())

    def test_no_light_is_negative_and_the_sky_keeps_its_light(self):
        after = treated(hazy(), 100)
        self.assertGreaterEqual(after.min(), 0)
        self.assertLess(np.abs(luminance(after)[5:40] / luminance(hazy())[5:40] - 1).mean(), 0.15)

    def test_windows_and_sizes_agree(self):
        made = renderer(hazy())
        treatment = parse_treatment({"haze": {"amount": 70}})
        whole, _ = made.picture(treatment, Window.whole((HEIGHT, WIDTH)), 16)
        part, _ = made.picture(treatment, Window(100, 120, 200, 160, 200, 160), 16)
        self.assertLess(np.abs(whole[120:280, 100:300].astype(int) - part).max(), 40)

    def test_an_area_bends_it(self):
        part = {"kind": "ellipse", "centre": [0.2, 0.5], "radii": [0.15, 0.15], "feather": 0.1}
        area = {"parts": [part], "bends": {"haze.amount": 80}}
        off = Treatment.neutral().model_dump() | {"haze": {"on": True}, "areas": [area]}
        after = renderer(hazy()).linear(parse_treatment(off), Window.whole((HEIGHT, WIDTH)))
        self.assertGreater(np.abs(after - hazy())[250:290, 90:130].mean(), 0.002)
        np.testing.assert_allclose(after[:, 300:], hazy()[:, 300:], rtol=1e-6)
