"""Noise reduction in the picture: exact where it is off, by lift where it is on, everywhere the same at every scale."""

import unittest

import numpy as np

from crenn.core.colorimetry.spaces import luminance
from crenn.core.radiance import RadianceMap
from crenn.core.render.pyramid import PreparedScene
from crenn.core.render.renderer import Renderer
from crenn.core.render.window import Window
from crenn.core.treatment import Treatment, parse_treatment

SIZE = (192, 288)
WHOLE = Window.whole(SIZE)


def dim() -> tuple[np.ndarray, np.ndarray]:
    """Two even grounds, one bright and one dark, with a sensor's noise, and its deviation."""
    truth = np.full((*SIZE, 3), 0.2, np.float32)
    truth[:, 144:] = 0.002
    sigma = np.sqrt(2e-4 * truth + 2e-7).astype(np.float32)
    return truth + sigma * np.random.default_rng(6).standard_normal(truth.shape).astype(np.float32), sigma


BRIGHT, DARK = np.s_[20:-20, 20:124], np.s_[20:-20, 164:-20]


class Reduced(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.light, cls.sigma = dim()
        cls.scene = PreparedScene.from_radiance(RadianceMap(cls.light, cls.sigma))
        cls.scene.split_noise()
        cls.renderer = Renderer(cls.scene)

    def linear(self, noise: dict, window: Window = WHOLE, **sections) -> np.ndarray:
        document = Treatment.neutral().model_dump() | {"noise": {"on": True} | noise} | sections
        return self.renderer.linear(parse_treatment(document), window)

    def left(self, found: np.ndarray, ground) -> float:
        """Deviation that is left of what there was."""
        return float(luminance(found)[ground].std() / luminance(self.light)[ground].std())


class Strength(Reduced):
    def test_off_or_at_nothing_the_light_is_untouched(self):
        for noise in ({"on": False}, {"luminance": 0, "colour": 0}, {"fine": 0, "medium": 0, "coarse": 0}):
            np.testing.assert_array_equal(self.linear(noise), self.light)

    def test_at_one_it_is_what_was_split_off(self):
        clean = self.light - self.scene.noise.levels[0][..., :3].astype(np.float32)
        np.testing.assert_allclose(self.linear({"lifted": False, "stars": False}), clean, atol=2e-6)

    def test_more_takes_more(self):
        left = [self.left(self.linear({"luminance": s, "lifted": False}), BRIGHT) for s in (0.0, 0.4, 0.8, 1.0)]
        self.assertEqual(left, sorted(left, reverse=True))
        self.assertAlmostEqual(left[0], 1.0, delta=0.02)
        self.assertLess(left[3], 0.25)

    def test_before_the_noise_is_split_off_nothing_happens(self):
        renderer = Renderer(PreparedScene.from_radiance(RadianceMap(self.light, self.sigma)))
        document = Treatment.neutral().model_dump() | {"noise": {"on": True}}
        np.testing.assert_array_equal(renderer.linear(parse_treatment(document), WHOLE), self.light)


class Lift(Reduced):
    def test_what_is_lifted_is_cleaned_more(self):
        """The dark ground keeps its grain while it is dark, and loses it when exposure, tone or an area lifts it."""
        held = self.left(self.linear({}, exposure={"on": True, "ev": -3.0}), DARK)
        whole = {
            "name": "Lit",
            "parts": [{"kind": "gradient", "start": [-2, 0.2], "end": [-1, 0.2]}],
            "bends": {"exposure.ev": 4.0},
        }
        self.assertGreater(held * 2**3, 0.75)
        for sections in (
            {"exposure": {"on": True, "ev": 4.0}},
            {"placement": {"on": True, "rungs": [{"stop": -9, "ev": 5}, {"stop": -2, "ev": 0}]}},
            {"areas": [whole]},
        ):
            with self.subTest(next(iter(sections))):
                found = self.linear({}, **sections)
                relative = luminance(found)[DARK].std() / luminance(found)[DARK].mean()
                had = luminance(self.light)[DARK].std() / luminance(self.light)[DARK].mean()
                self.assertLess(float(relative / had), 0.4)

    def test_evenly_is_evenly(self):
        held = self.linear({"lifted": False}, exposure={"on": True, "ev": -3.0})
        self.assertLess(self.left(held, DARK) * 2**3, 0.4)

    def test_an_area_can_be_cleaned_more_or_not_at_all(self):
        right = {
            "name": "Right",
            "parts": [{"kind": "gradient", "start": [0.52, 0.3], "end": [0.49, 0.3]}],
            "bends": {"noise.luminance": 0.0, "noise.colour": 0.0},
        }
        found = self.linear({"lifted": False, "stars": False}, areas=[right])
        np.testing.assert_allclose(found[DARK], self.light[DARK], atol=2e-6)
        self.assertLess(self.left(found, BRIGHT), 0.25)


class Scale(Reduced):
    def test_a_window_shows_what_the_whole_does(self):
        part = self.linear({"fine": 50, "detail": 30}, Window(40, 30, 100, 80, 100, 80))
        whole = self.linear({"fine": 50, "detail": 30})[30:110, 40:140]
        np.testing.assert_allclose(part, whole, atol=3e-5)

    def test_a_reduced_view_is_the_reduced_picture(self):
        whole = self.linear({})
        small = self.linear({}, Window(0, 0, SIZE[1], SIZE[0], SIZE[1] // 2, SIZE[0] // 2))
        mean = whole.reshape(SIZE[0] // 2, 2, SIZE[1] // 2, 2, 3).mean((1, 3))
        self.assertLess(float(np.abs(luminance(small - mean))[BRIGHT[0], 10:60].mean()), 0.002)

    def test_geometry_takes_the_noise_along(self):
        """Turned by some degrees, the picture is as clean as it was."""
        sections = {"level": {"on": True, "angle": 3.0}, "crop": {"on": True}}
        noisy = self.linear({"on": False}, Window(100, 60, 60, 60, 60, 60), **sections)
        clean = self.linear({"lifted": False}, Window(100, 60, 60, 60, 60, 60), **sections)
        left = luminance(clean)[:, :20].std() / luminance(noisy)[:, :20].std()
        self.assertLess(float(left), 0.45)

    def test_enlarged_it_is_clean_as_well(self):
        twice = Window(40, 40, 60, 60, 120, 120)
        clean, noisy = self.linear({"lifted": False}, twice), self.linear({"on": False}, twice)
        self.assertLess(float(luminance(clean).std() / luminance(noisy).std()), 0.3)
