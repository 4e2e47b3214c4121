"""The render: identity, placement, reach, edges and hue."""

import unittest

import numpy as np

from crenn.core.colorimetry.spaces import srgb_decode, srgb_to_lab
from crenn.core.fastmath import cbrt, exp2, half, log2, single
from crenn.core.light.rungs import Rung, placement_ev
from crenn.core.light.shown import shown_luminance
from crenn.core.pipeline.instructions import table_stops
from crenn.core.radiance import RadianceMap
from crenn.core.render.pyramid import PreparedScene
from crenn.core.render.renderer import Renderer
from crenn.core.render.window import Window
from crenn.core.treatment import Treatment, parse_treatment
from tests.support import night


def renderer(rgb, sigma=None) -> Renderer:
    return Renderer(PreparedScene.from_radiance(RadianceMap(rgb.astype(np.float32), sigma)))


def codes(r: Renderer, document=None, window=None, bits=16):
    treatment = parse_treatment(document or {})
    return r.picture(treatment, window or Window.whole(r.scene.size), bits)[0]


PLAIN = {"placement": {"on": False}, "tone": {"on": False}, "ends": {"on": False}, "exposure": {"ev": 0}}


class Neutral(unittest.TestCase):
    def test_each_step_alone_changes_nothing_at_neutral_settings(self):
        rgb = night()
        r = renderer(rgb)
        off = Treatment.neutral().model_dump()
        neutral = {
            "exposure": {"ev": 0.0},
            "white_balance": {},
            "placement": {"shadows": 0.0, "highlights": 0.0, "local": 1.0},
            "tone": {"contrast": 1.0},
            "ends": {},
        }
        for name, values in neutral.items():
            with self.subTest(step=name):
                treatment = parse_treatment(off | {name: values | {"on": True}})
                np.testing.assert_array_equal(r.linear(treatment, Window.whole(r.scene.size)), rgb)

    def test_exposure_doubles_light_per_stop(self):
        r = renderer(night())
        whole = Window.whole(r.scene.size)
        off = Treatment.neutral().model_dump()
        lit = r.linear(parse_treatment(off | {"exposure": {"on": True, "ev": 1.0}}), whole)
        np.testing.assert_allclose(lit, 2 * night(), rtol=1e-6)


class Curves(unittest.TestCase):
    def test_a_brighter_stop_never_becomes_darker(self):
        stops = table_stops()
        for shadows, highlights in ((8, -8), (-6, 4), (3, 0)):
            placed = stops + placement_ev(stops, shadows, highlights, [Rung(stop=-6, ev=4), Rung(stop=-4, ev=-4)], 1.0)
            self.assertTrue((np.diff(placed) > 0).all(), (shadows, highlights))

    def test_a_rung_moves_its_stop_by_its_ev(self):
        stops = table_stops()
        added = placement_ev(stops, 0, 0, [Rung(stop=-6, ev=1.0)], 2.0)
        self.assertAlmostEqual(float(np.interp(-4.0, stops, added)), 1.0, places=3)
        self.assertAlmostEqual(float(np.interp(-9.0, stops, added)), 0.0, places=6)

    def test_a_rung_follows_its_stop_whatever_the_exposure(self):
        rgb = np.repeat(np.repeat(np.exp2([-12.0, -5.0, 1.0])[None, :, None], 90, 1), 60, 0).repeat(3, 2)
        r = renderer(rgb)
        off = Treatment.neutral().model_dump()
        placed = {"shadows": 0.0, "highlights": 0.0, "local": 1.0, "reach": 1.0}
        for ev in (-3.0, 0.0, 2.5):
            light = [
                r.linear(
                    parse_treatment(
                        off | {"exposure": {"on": True, "ev": ev}, "placement": placed | {"on": True, "rungs": rungs}}
                    ),
                    Window.whole(r.scene.size),
                )[30, [45, 135, 225], 1]
                for rungs in ([], [{"stop": -5.0, "ev": 1.0}])
            ]
            np.testing.assert_allclose(np.log2(light[1] / light[0]), [0, 1, 0], atol=0.05, err_msg=f"at {ev} EV")

    def test_white_and_black_points_meet_white_and_black(self):
        shown = shown_luminance(np.array([-9.0, -8.0, -4.0, 1.5, 2.5]), 1.5, -8.0)
        np.testing.assert_allclose(shown[[0, 1, 3, 4]], [0, 0, 1, 1], atol=1e-6)
        self.assertAlmostEqual(float(shown[2]), 2.0**-4, delta=0.005)

    def test_quick_mathematics(self):
        x = np.geomspace(1e-6, 1e4, 4001).astype(np.float32)
        self.assertLess(max(abs(log2(v) - np.log2(v)) for v in x), 4e-6)
        self.assertLess(max(abs(exp2(np.float32(v)) / 2.0**v - 1) for v in np.linspace(-30, 12, 999)), 2e-6)
        self.assertLess(max(abs(cbrt(v) ** 3 / v - 1) for v in x), 2e-5)

    def test_half_precision_is_as_numpy_has_it(self):
        every = np.arange(65536, dtype=np.uint16).view(np.float16)
        every = every[np.isfinite(every)]
        np.testing.assert_array_equal(single(every[None])[0], every.astype(np.float32))
        # Halfway between two of them, too, and what is too small for any.
        values = np.concatenate([every[:-1] * np.float32(0.5) + every[1:] * np.float32(0.5), np.float32([1e-9, -3e-8])])
        wanted = values.astype(np.float16).view(np.uint16)
        np.testing.assert_array_equal([half(v) for v in values], wanted)


class Edges(unittest.TestCase):
    def test_no_halo_along_a_skyline(self):
        rgb = np.full((400, 600, 3), 0.6, np.float32)
        rgb[200:] = 0.004
        r = renderer(rgb)
        lab = srgb_to_lab(
            codes(r, {"placement": {"shadows": 3.0, "highlights": -2.0, "local": 1.5}, "exposure": {"ev": 0}}) / 65535
        )
        for rows in (slice(4, 198), slice(203, 396)):
            lightness = lab[rows, 100:500, 0]
            self.assertLess(np.ptp(lightness), 0.2)

    def test_shadows_open_and_local_contrast_stays(self):
        rng = np.random.default_rng(1)
        rgb = np.full((300, 450, 3), 0.3, np.float32)
        texture = np.exp2(0.25 * rng.standard_normal((150, 450, 1)))
        rgb[150:] = 0.003 * texture
        r = renderer(rgb)
        whole = Window.whole(r.scene.size)
        base = {"exposure": {"ev": 0}, "ends": {"on": False}}
        flat = r.linear(parse_treatment(base | {"placement": {"on": False}}), whole)
        open_ = r.linear(parse_treatment(base | {"placement": {"shadows": 3.0, "highlights": 0.0}}), whole)
        dark = (slice(180, 280), slice(50, 400))
        lifted = np.log2(open_[dark].mean() / flat[dark].mean())
        self.assertGreater(lifted, 2.5)
        contrast = np.log2(open_[dark]).std() / np.log2(flat[dark]).std()
        self.assertGreater(contrast, 0.8)


class Reach(unittest.TestCase):
    """Waves of light, a fifth of the picture long: reach says whether they belong to the base or are detail."""

    @classmethod
    def setUpClass(cls):
        x = np.arange(1000, dtype=np.float32)
        cls.waves = 0.35 * np.sin(2 * np.pi * x / 200)
        rgb = np.repeat(np.repeat((0.05 * np.exp2(cls.waves))[None, :, None], 300, 0), 3, 2)
        cls.renderer = renderer(rgb)

    def stretched(self, reach: float, local: float = 2.0) -> float:
        """How many times stronger the waves are after placement."""
        treatment = parse_treatment(
            Treatment.neutral().model_dump()
            | {"placement": {"shadows": 0.0, "highlights": 0.0, "local": local, "reach": reach}}
        )
        light = self.renderer.linear(treatment, Window.whole(self.renderer.scene.size))
        return float(np.log2(light[150, 200:800, 1]).std() / self.waves[200:800].std())

    def test_within_reach_waves_are_stretched_by_local_contrast(self):
        # Not quite twice and half: light of one stop pulls the base a little towards itself.
        self.assertTrue(1.6 < self.stretched(20) <= 2.0)
        self.assertTrue(0.5 <= self.stretched(20, 0.5) < 0.7)
        self.assertAlmostEqual(self.stretched(20, 1.0), 1.0, places=4)

    def test_beyond_reach_they_belong_to_the_base(self):
        self.assertLess(self.stretched(0.5), 1.1)

    def test_more_reach_takes_in_more(self):
        factors = [self.stretched(reach) for reach in (0.5, 1, 2, 4, 8)]
        self.assertTrue((np.diff(factors) > 0.02).all(), factors)


class Colour(unittest.TestCase):
    def test_a_sodium_lamp_goes_to_warm_white(self):
        patches = [np.array([1.0, 0.52, 0.11]) * 2.0**ev for ev in (-3, -1, 1, 3, 5)]
        rgb = np.repeat(np.repeat(np.array(patches)[None], 40, 1).reshape(1, -1, 3), 60, 0)
        shown = codes(renderer(rgb), PLAIN | {"ends": {"white": 4.5}})[30, 20::40] / 65535
        chroma = shown.max(1) - shown.min(1)
        self.assertTrue((np.diff(chroma[2:]) < 0).all(), chroma)
        self.assertLess(chroma[-1], 0.03)
        # Never cyan, magenta or green: red leads, blue trails, all the way.
        self.assertTrue((shown[:, 0] >= shown[:, 1] - 0.002).all() and (shown[:, 1] >= shown[:, 2] - 0.002).all())

    def test_hue_holds_while_light_grows(self):
        from crenn.core.colorimetry.spaces import REC2020_TO_SRGB

        for colour in ((1.0, 0.52, 0.2), (0.2, 0.35, 1.0), (0.9, 0.25, 0.4), (0.3, 0.8, 0.4)):
            patches = [np.array(colour) * 2.0**ev for ev in np.arange(-4, 2.0, 0.5)]
            rgb = np.repeat(np.array(patches, np.float32)[None], 4, 0)
            linear = srgb_decode(codes(renderer(np.repeat(rgb, 4, 1)), PLAIN)[2, 1::4] / 65535)
            lms = np.cbrt(
                linear
                @ np.array(
                    [
                        [0.4122214708, 0.2119034982, 0.0883024619],
                        [0.5363325363, 0.6806995451, 0.2817188376],
                        [0.0514459929, 0.1073969566, 0.6299787005],
                    ]
                )
            )
            a = lms @ [1.9779984951, -2.4285922050, 0.4505937099]
            b = lms @ [0.0259040371, 0.7827717662, -0.8086757660]
            coloured = np.hypot(a, b) > 0.02
            hues = np.unwrap(np.arctan2(b, a)[coloured])
            with self.subTest(colour=colour, shape=REC2020_TO_SRGB.shape):
                self.assertLess(np.degrees(np.ptp(hues)), 2.5)


class Automatic(unittest.TestCase):
    def test_a_default_treatment_suits_dark_and_bright_scenes(self):
        for name, rgb in (("night", night()), ("dim", night() * 0.01), ("bright", night() * 30)):
            shown = codes(renderer(rgb), bits=8)
            with self.subTest(scene=name):
                self.assertTrue(40 < shown.mean() < 150, shown.mean())
                self.assertLess((shown.min(-1) >= 254).mean(), 0.01)
                self.assertLess((shown.max(-1) <= 1).mean(), 0.02)
