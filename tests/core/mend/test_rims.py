"""Fringes on the dark side of rims, and colours of things that are none."""

import unittest

import cv2
import numpy as np

from crenn.core.colorimetry.spaces import luminance
from crenn.core.radiance import RadianceMap
from crenn.core.render.fringe_colour import fringe_at
from crenn.core.render.pyramid import PreparedScene
from crenn.core.render.renderer import Renderer
from crenn.core.render.window import Window
from crenn.core.treatment import Treatment, parse_treatment

SIZE = (240, 320)
GROUND, DISC = np.array([0.01, 0.011, 0.012]), np.array([2.0, 1.8, 1.5])
PURPLE, GREEN = np.array([2.2, 1.0, 3.5]), np.array([0.5, 1.0, 0.45])


def disc(colour: np.ndarray, ground: np.ndarray, fringe: np.ndarray | None) -> tuple[np.ndarray, np.ndarray]:
    """A bright disc on dark ground with a fringe of 3 px round it, float32 (H, W, 3), and where that is."""
    y, x = np.mgrid[: SIZE[0], : SIZE[1]].astype(np.float32)
    away = np.hypot(x - 160, y - 120) - 60
    light = np.where((away < 0)[..., None], colour, ground)
    ring = (away >= 0.5) & (away < 3.5)
    if fringe is not None:
        light = np.where(ring[..., None], light * 3 * fringe, light)
    return cv2.GaussianBlur(light.astype(np.float32), (0, 0), 0.5), ring


def ratios(light: np.ndarray) -> np.ndarray:
    """Red and blue over green, in EV."""
    return np.log2(light[..., [0, 2]] / light[..., 1:2])


class Fringes(unittest.TestCase):
    def treated(self, light: np.ndarray, bent: dict | None = None, **rims: float) -> np.ndarray:
        document = Treatment.neutral().model_dump() | {"rims": {"on": True, "radius": 5.0} | rims}
        if bent:
            document["areas"] = [{"parts": [{"kind": "light"}], "bends": bent}]
        renderer = Renderer(PreparedScene.from_radiance(RadianceMap(light, None)))
        return renderer.linear(parse_treatment(document), Window.whole(SIZE))

    def test_purple_and_green_fringes_are_taken_back_each_by_its_dial(self):
        for name, fringe in (("purple", PURPLE), ("green", GREEN)):
            light, ring = disc(DISC, GROUND, fringe)
            true = ratios(GROUND)
            before = np.abs(ratios(light) - true)[ring].mean()
            after = np.abs(ratios(self.treated(light, **{name: 100.0})) - true)[ring].mean()
            half = np.abs(ratios(self.treated(light, **{name: 50.0})) - true)[ring].mean()
            other = self.treated(light, **{"green" if name == "purple" else "purple": 100.0})
            with self.subTest(name=name):
                self.assertLess(after, 0.4 * before)
                self.assertTrue(after < half < 0.8 * before)
                np.testing.assert_allclose(ratios(other)[ring], ratios(light)[ring], atol=0.25)
            # Luminance stays, and so does all that is away from the rim.
            out = self.treated(light, **{name: 100.0})
            np.testing.assert_allclose(luminance(out), luminance(light), rtol=1e-3)
            np.testing.assert_allclose(out[:30], light[:30], rtol=1e-4)
            np.testing.assert_allclose(self.treated(light, {f"rims.{name}": 100.0}), out, rtol=1e-3)

    def test_a_fringe_that_is_picked_is_taken_back_and_no_other(self):
        orange = np.array([2.6, 1.0, 0.8])
        light, ring = disc(DISC, GROUND, orange)
        scene = PreparedScene.from_radiance(RadianceMap(light, None))
        direction = fringe_at(scene, [222 / 320, 120 / 320], 5.0)
        self.assertAlmostEqual(direction, -12, delta=15)
        before = np.abs(ratios(light) - ratios(GROUND))[ring].mean()
        after = np.abs(ratios(self.treated(light, picked=100.0, direction=direction)) - ratios(GROUND))[ring].mean()
        self.assertLess(after, 0.5 * before)
        other = self.treated(light, picked=100.0, direction=direction + 150)
        np.testing.assert_allclose(other, light, rtol=1e-3)
        # In the disc, on the ground and beyond the scene there is none.
        for place in ([0.5, 0.375], [0.05, 0.05], [3.0, 3.0]):
            self.assertIsNone(fringe_at(scene, place, 5.0))

    def test_colours_of_the_sides_stay(self):
        purple = np.array([1.6, 0.7, 2.4])
        for name, colour, ground in (
            ("a purple lamp", purple, GROUND),
            ("a purple wall", DISC, GROUND * purple / 0.7),
            ("a green lamp", DISC * GREEN, GROUND),
        ):
            light, _ = disc(colour, ground, None)
            out = self.treated(light, purple=100.0, green=100.0)
            with self.subTest(name=name):
                self.assertLess(np.abs(ratios(out) - ratios(light)).max(), 0.12)

    def test_nothing_happens_at_nothing(self):
        light, _ = disc(DISC, GROUND, PURPLE)
        np.testing.assert_array_equal(self.treated(light), light)
