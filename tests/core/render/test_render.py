"""The render: identity, placement, edges, hue, windows and scales."""

import unittest

import numpy as np

from crenn.core.colour.spaces import delta_e2000, srgb_decode, srgb_to_lab
from crenn.core.fastmath import cbrt, exp2, log2
from crenn.core.light.ends import shown_luminance
from crenn.core.light.placement import Rung, placement_ev
from crenn.core.radiance import RadianceMap
from crenn.core.render.executor import Renderer, Window
from crenn.core.render.pyramid import PreparedScene
from crenn.core.render.views import ladder, paint_view, probe
from crenn.core.steps import table_stops
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

    def test_white_and_black_points_meet_white_and_black(self):
        shown = shown_luminance(np.array([-9.0, -8.0, -4.0, 1.5, 2.5]), 1.5, -8.0)
        np.testing.assert_allclose(shown[[0, 1, 3, 4]], [0, 0, 1, 1], atol=1e-6)
        self.assertAlmostEqual(float(shown[2]), 2.0**-4, delta=0.005)

    def test_quick_mathematics(self):
        x = np.geomspace(1e-6, 1e4, 4001).astype(np.float32)
        self.assertLess(max(abs(log2(v) - np.log2(v)) for v in x), 4e-6)
        self.assertLess(max(abs(exp2(np.float32(v)) / 2.0**v - 1) for v in np.linspace(-30, 12, 999)), 2e-6)
        self.assertLess(max(abs(cbrt(v) ** 3 / v - 1) for v in x), 2e-5)


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
        from crenn.core.colour.spaces import REC2020_TO_SRGB

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


class Windows(unittest.TestCase):
    def setUp(self):
        self.renderer = renderer(night(640, 960), night(640, 960) * 0.01)

    def test_a_window_is_the_same_as_its_part_of_the_whole(self):
        whole = codes(self.renderer).astype(int)
        part = codes(self.renderer, window=Window(200, 300, 320, 200, 320, 200)).astype(int)
        self.assertLess(np.abs(whole[300:500, 200:520] - part).max(), 8)

    def test_the_preview_equals_the_reduced_full_render(self):
        import cv2

        full = codes(self.renderer).astype(np.float32) / 65535
        reduced = cv2.resize(full, (480, 320), interpolation=cv2.INTER_AREA)
        preview = codes(self.renderer, window=Window.whole((640, 960), 480)) / 65535
        difference = delta_e2000(srgb_to_lab(reduced), srgb_to_lab(preview))
        self.assertLess(difference.mean(), 0.5)

    def test_limits_tell_what_clips(self):
        _, limits = self.renderer.picture(parse_treatment({"exposure": {"ev": 12}}), Window.whole((640, 960)))
        self.assertGreater((limits & 7 == 7).mean(), 0.5)
        _, limits = self.renderer.picture(parse_treatment({"exposure": {"ev": -12}}), Window.whole((640, 960)))
        self.assertGreater((limits & 8 > 0).mean(), 0.9)

    def test_views_and_probe(self):
        window = Window.whole((640, 960), 480)
        plain, _ = paint_view(self.renderer, Treatment(), window, "picture")
        marked, shares = paint_view(self.renderer, parse_treatment({"exposure": {"ev": 6}}), window, "limits")
        self.assertGreater(shares["some"], 0.1)
        self.assertFalse(np.array_equal(plain, marked))
        found = probe(self.renderer, Treatment(), 500, 100)
        self.assertAlmostEqual(found["stop"], np.log2(night(640, 960)[100, 500] @ [0.2627, 0.678, 0.0593]), delta=0.01)
        self.assertIsNone(probe(self.renderer, Treatment(), -1, 5))

    def test_the_ladder_agrees_with_the_picture(self):
        grey = np.full((200, 300, 3), 2.0**-4, np.float32)
        grey[:, :40] = 2.0**1
        grey[:, -40:] = 2.0**-9
        r = renderer(grey)
        lines = dict(ladder(Treatment(), r.scene))
        shown = probe(r, Treatment(), 150, 100)["tone"]
        self.assertAlmostEqual(lines[-4.0], shown, delta=1.0)
        tones = [t for _, t in ladder(Treatment(), r.scene)]
        self.assertTrue((np.diff(tones) >= 0).all())


class Automatic(unittest.TestCase):
    def test_a_default_treatment_suits_dark_and_bright_scenes(self):
        for name, rgb in (("night", night()), ("dim", night() * 0.01), ("bright", night() * 30)):
            shown = codes(renderer(rgb), bits=8)
            with self.subTest(scene=name):
                self.assertTrue(40 < shown.mean() < 150, shown.mean())
                self.assertLess((shown.min(-1) >= 254).mean(), 0.01)
                self.assertLess((shown.max(-1) <= 1).mean(), 0.02)
