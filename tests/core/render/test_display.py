"""The display: colours on their way to white take no step."""

import unittest
from itertools import product

import numpy as np

from crenn.core.colorimetry.spaces import srgb_to_lab
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


def swept(tint, low: float = -9.0, high: float = 4.0, count: int = 1300, colour: float = 50.0) -> np.ndarray:
    """CIELAB of one colour from dark to bright, (count, 3)."""
    light = np.exp2(np.linspace(low, high, count))[None, :, None] * np.array(tint)
    rgb = np.repeat(light, 8, 0).astype(np.float32)
    document = _PLAIN | {"ends": _PLAIN["ends"] | {"colour": colour}}
    scene = PreparedScene.from_radiance(RadianceMap(rgb, rgb * 0.01 + 1e-6))
    codes, _ = Renderer(scene).picture(parse_treatment(document), Window.whole(scene.size), 16)
    return srgb_to_lab(codes[4] / 65535.0)


class Sweeps(unittest.TestCase):
    TINTS = ((1, 0.18, 0.05), (0.05, 0.1, 1), (0.1, 1, 0.15), (1, 0.6, 0.25), (0.9, 0.1, 0.8), (1, 1, 1))

    def test_lightness_rises_without_a_step(self):
        for tint, colour in product(self.TINTS, (0, 50, 100)):
            lightness = swept(tint, colour=colour)[:, 0]
            steps = np.diff(lightness)
            with self.subTest(tint=tint, colour=colour):
                # A hundredth of a stop; by contrast, a step that can be seen is several units.
                self.assertLess(np.abs(steps).max(), 0.6)
                self.assertGreater(steps.min(), -0.25)

    def test_colour_fades_without_a_step(self):
        for tint, colour in product(self.TINTS, (0, 50, 100)):
            with self.subTest(tint=tint, colour=colour):
                self.assertLess(
                    np.abs(np.diff(swept(tint, colour=colour)[:, 1:], axis=0)).max(), 2.0 if colour < 100 else 3.0
                )

    def test_bright_colours_are_kept_longer_or_shorter_and_their_hue_stays(self):
        """A sodium lamp's glow: the more the dial is turned up, the more colour where it is bright."""
        shown = {colour: swept((1, 0.5, 0.12), colour=colour) for colour in (0, 50, 100)}
        chroma = {colour: np.hypot(lab[:, 1], lab[:, 2]) for colour, lab in shown.items()}
        bright = slice(850, 1050)
        self.assertLess(chroma[0][bright].mean(), 0.8 * chroma[50][bright].mean())
        self.assertGreater(chroma[100][bright].mean(), 1.1 * chroma[50][bright].mean())
        dark = slice(0, 500)
        np.testing.assert_allclose(shown[0][dark], shown[100][dark], atol=0.02)
        for lab in shown.values():
            coloured = np.hypot(lab[:, 1], lab[:, 2]) > 15
            hues = np.degrees(np.arctan2(lab[coloured, 2], lab[coloured, 1]))[300:]
            self.assertLess(np.ptp(hues), 25)

    def test_what_is_bright_enough_is_white(self):
        for tint in self.TINTS:
            with self.subTest(tint=tint):
                self.assertGreater(swept(tint, high=9.0)[-1, 0], 99.0)
