"""The display: colours on their way to white take no step."""

import unittest

import numpy as np

from crenn.core.colour.spaces import srgb_to_lab
from crenn.core.radiance import RadianceMap
from crenn.core.render.pyramid import PreparedScene
from crenn.core.render.renderer import Renderer
from crenn.core.render.window import Window
from crenn.core.treatment import parse_treatment

_PLAIN = {
    "exposure": {"ev": 0},
    "placement": {"on": False},
    "tone": {"on": False},
    "ends": {"white": 2.0, "black": -14.0},
}


def swept(tint, low: float = -9.0, high: float = 4.0, count: int = 1300) -> np.ndarray:
    """CIELAB of one colour from dark to bright, (count, 3)."""
    light = np.exp2(np.linspace(low, high, count))[None, :, None] * np.array(tint)
    rgb = np.repeat(light, 8, 0).astype(np.float32)
    scene = PreparedScene.from_radiance(RadianceMap(rgb, rgb * 0.01 + 1e-6))
    codes, _ = Renderer(scene).picture(parse_treatment(_PLAIN), Window.whole(scene.size), 16)
    return srgb_to_lab(codes[4] / 65535.0)


class Sweeps(unittest.TestCase):
    TINTS = ((1, 0.18, 0.05), (0.05, 0.1, 1), (0.1, 1, 0.15), (1, 0.6, 0.25), (0.9, 0.1, 0.8), (1, 1, 1))

    def test_lightness_rises_without_a_step(self):
        for tint in self.TINTS:
            lightness = swept(tint)[:, 0]
            steps = np.diff(lightness)
            with self.subTest(tint=tint):
                # A hundredth of a stop; by contrast, a step that can be seen is several units.
                self.assertLess(np.abs(steps).max(), 0.6)
                self.assertGreater(steps.min(), -0.25)

    def test_colour_fades_without_a_step(self):
        for tint in self.TINTS:
            with self.subTest(tint=tint):
                self.assertLess(np.abs(np.diff(swept(tint)[:, 1:], axis=0)).max(), 2.0)

    def test_what_is_bright_enough_is_white(self):
        for tint in self.TINTS:
            with self.subTest(tint=tint):
                self.assertGreater(swept(tint, high=9.0)[-1, 0], 99.0)
