"""The curve: monotone, still at its ends, on luminance and on each colour."""

import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from crenn.core.colorimetry.spaces import luminance, srgb_decode, srgb_to_lab
from crenn.core.errors import InvalidTreatment
from crenn.core.light.curve import HIGH, LOW, CurvePoint, channel_ends, curve_ev
from crenn.core.pipeline.program import table_stops
from crenn.core.radiance import RadianceMap
from crenn.core.render.curve_input import BIN, START, entering
from crenn.core.render.pyramid import PreparedScene
from crenn.core.render.renderer import Renderer
from crenn.core.render.window import Window
from crenn.core.treatment import Treatment, parse_treatment
from tests.support import night


def points(*pairs) -> list[CurvePoint]:
    return [CurvePoint(at=at, to=to) for at, to in pairs]


def document(*pairs) -> list[dict]:
    return [{"at": at, "to": to} for at, to in pairs]


def off(**curve) -> Treatment:
    return parse_treatment(Treatment.neutral().model_dump() | {"curve": {"on": True, **curve}})


class Curves(unittest.TestCase):
    def test_without_points_nothing_moves(self):
        self.assertFalse(curve_ev(table_stops(), []).any())
        self.assertFalse(curve_ev(table_stops(), points((-4, -4), (-1, -1))).round(12).any())

    def test_it_goes_through_its_points_and_ends_stay(self):
        moved = points((-6.0, -5.0), (-2.5, -2.0))
        at = np.array([LOW, -6.0, -2.5, HIGH])
        np.testing.assert_allclose(at + curve_ev(at, moved), [LOW, -5.0, -2.0, HIGH], atol=1e-12)
        # Beyond the ends nothing moves; beyond a point that stands for an end, all moves as it does.
        np.testing.assert_allclose(curve_ev(np.array([-20.0, 4.0]), moved), 0, atol=1e-12)
        np.testing.assert_allclose(curve_ev(np.array([2.0, 5.0]), points((1.0, 0.0))), -1, atol=1e-12)

    def test_published_values(self):
        """Between slopes of 1 and 3 over equal spans the harmonic mean is the slope: 1.5 (Fritsch and Butland 1984)."""
        curve = points((-10.0, -10.0), (-9.0, -9.0), (-8.0, -6.0), (0.0, 0.0))
        near = np.array([-9.0 - 1e-4, -9.0 + 1e-4])
        low, high = near + curve_ev(near, curve)
        self.assertAlmostEqual((high - low) / 2e-4, 1.5, delta=1e-3)

    @given(
        st.lists(
            st.tuples(st.floats(-14, 4), st.floats(-14, 4)),
            min_size=1,
            max_size=8,
            unique_by=lambda p: round(p[0] * 4),
        )
    )
    @settings(max_examples=200, deadline=None)
    def test_brighter_light_stays_brighter(self, pairs):
        at = sorted(round(p[0] * 4) / 4 for p in pairs)
        to = sorted(p[1] for p in pairs)
        placed = table_stops() + curve_ev(table_stops(), points(*zip(at, to)))
        self.assertGreaterEqual(np.diff(placed).min(), -1e-9)

    def test_what_cannot_be_is_refused_and_named(self):
        for bad, word in (
            (document((-3, -2), (-3, -1)), "same light"),
            (document((-4, -1), (-2, -3)), "falls"),
            (document((-40, 0)), "points.0.at"),
        ):
            with self.subTest(word=word), self.assertRaisesRegex(InvalidTreatment, word):
                parse_treatment({"curve": {"points": bad}})


class Acting(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.renderer = Renderer(PreparedScene.from_radiance(RadianceMap(night(), None)))
        cls.whole = Window.whole(cls.renderer.scene.size)

    def light(self, **curve) -> np.ndarray:
        return self.renderer.linear(off(**curve), self.whole).astype(np.float64)

    def test_straight_is_exactly_nothing(self):
        np.testing.assert_array_equal(self.light(), night())
        np.testing.assert_array_equal(self.light(points=document((-4, -4)), red=document((-2, -2))), night())

    def test_kept_colours_stay_and_luminance_follows_the_curve(self):
        curve = document((-7, -6), (-3, -3.2))
        lit, before = self.light(points=curve), night().astype(np.float64)
        y = luminance(before)
        wanted = y * np.exp2(curve_ev(np.log2(y), points((-7, -6), (-3, -3.2))))
        np.testing.assert_allclose(luminance(lit), wanted, rtol=2e-3)
        np.testing.assert_allclose(lit / luminance(lit)[..., None], before / y[..., None], rtol=1e-4)

    def test_film_moves_each_colour_by_its_own_light(self):
        curve = points((-7, -6), (-3, -3.2))
        lit, before = self.light(points=document((-7, -6), (-3, -3.2)), colour="film"), night().astype(np.float64)
        np.testing.assert_allclose(lit, before * np.exp2(curve_ev(np.log2(before), curve)), rtol=3e-3)

    def test_a_colour_moves_alone(self):
        lit = self.light(blue=document((-8, -6.5)))
        np.testing.assert_allclose(lit[..., :2], night()[..., :2], rtol=1e-6)
        self.assertTrue((lit[..., 2] >= night()[..., 2] * (1 - 1e-5)).all())
        self.assertGreater(lit[..., 2].mean(), night()[..., 2].mean() * 1.02)

    def test_exposure_before_it_is_part_of_what_enters(self):
        """A curve after a gain that is not folded into the light yet: areas leave EV to the end of a row."""
        base = Treatment.neutral().model_dump()
        area = {
            "parts": [{"kind": "ellipse", "centre": [0.5, 0.3], "radii": [4, 4], "feather": 0.1}],
            "bends": {"exposure.ev": 1.0},
        }
        exposed = base | {"exposure": {"on": True, "ev": 0.0}, "areas": [area]}
        curve = {"on": True, "red": document((-6, -5))}
        lit = self.renderer.linear(parse_treatment(exposed | {"curve": curve}), self.whole)
        before = self.renderer.linear(parse_treatment(exposed), self.whole).astype(np.float64)
        np.testing.assert_allclose(before, night() * 2.0, rtol=1e-4)
        red = before[..., 0]
        wanted = red * np.exp2(curve_ev(np.log2(red), points((-6, -5))))
        np.testing.assert_allclose(lit[..., 0], wanted, rtol=3e-3)

    def test_windows_and_scales_agree(self):
        treatment = parse_treatment({"curve": {"points": document((-6, -5)), "red": document((-3, -3.3))}})
        height, width = self.renderer.scene.size
        whole, _ = self.renderer.picture(treatment, self.whole, 16)
        part, _ = self.renderer.picture(treatment, Window(20, 10, 60, 40, 60, 40), 16)
        self.assertLess(np.abs(whole[10:50, 20:80].astype(int) - part).max(), 8)
        small, _ = self.renderer.picture(treatment, Window(0, 0, width, height, width // 2, height // 2), 16, 2)
        reduced = whole.reshape(height // 2, 2, width // 2, 2, 3).mean((1, 3))
        away = np.linalg.norm(srgb_to_lab(small / 65535) - srgb_to_lab(reduced / 65535), axis=-1)
        self.assertLess(away.mean(), 0.5)

    def test_what_enters_is_what_comes_out_without_it(self):
        treatment = parse_treatment({"curve": {"points": document((-6, -2))}})
        found = entering(self.renderer, treatment)
        light = self.renderer.linear(treatment.without("curve"), self.whole)
        stops = np.log2(np.maximum(luminance(light), 1e-9))
        inside = (stops > START + BIN) & (stops < START + BIN * (found.shares.shape[1] - 1))
        self.assertAlmostEqual(found.shares[0].sum(), inside.mean(), delta=0.002)
        mean = (found.stops * found.shares[0]).sum() / found.shares[0].sum()
        self.assertAlmostEqual(float(mean), float(stops[inside].mean()), delta=0.05)


class Ends(unittest.TestCase):
    def test_a_haze_of_one_colour_leaves(self):
        """A grey ramp under a blue veil comes out grey at both ends."""
        ramp = np.exp2(np.linspace(-9, -0.5, 4000)).reshape(40, 100, 1).astype(np.float32)
        hazy = np.repeat(ramp, 3, -1) * np.array([0.8, 0.9, 1.0], np.float32) + np.array(
            [0.002, 0.004, 0.02], np.float32
        )
        renderer = Renderer(PreparedScene.from_radiance(RadianceMap(hazy, None)))
        plain = Treatment.neutral().model_dump() | {"curve": {"on": True}}
        found = entering(renderer, parse_treatment(plain))
        red, green, blue = channel_ends(found.shares, found.stops)
        curve = {"on": True, "red": red, "green": green, "blue": blue}
        curve = {k: [p.model_dump() for p in v] if isinstance(v, list) else v for k, v in curve.items()}
        whole = Window.whole(renderer.scene.size)

        def colour(document) -> tuple[float, float]:
            codes, _ = renderer.picture(parse_treatment(document), whole, 16)
            lab = srgb_to_lab(codes.reshape(-1, 3) / 65535)
            chroma = np.hypot(lab[:, 1], lab[:, 2])
            return float(chroma[:200].mean()), float(chroma[-200:].mean())

        dark, bright = colour(plain)
        dark_now, bright_now = colour(plain | {"curve": curve})
        self.assertGreater(dark, 8)
        self.assertLess(dark_now, 0.35 * dark)
        self.assertLess(bright_now, 0.35 * bright)

    def test_a_colour_without_light_is_left_alone(self):
        shares = np.zeros((4, 80))
        shares[0, 10:70] = shares[1, 10:70] = shares[2, 10:70] = 1 / 60
        found = channel_ends(shares, START + BIN * (np.arange(80) + 0.5))
        self.assertEqual(found[2], [])
        self.assertEqual([p.at for p in found[0]], [p.to for p in found[0]])

    def test_the_picture_of_a_grey_stays_grey(self):
        grey = np.full((16, 16, 3), 0.2, np.float32)
        renderer = Renderer(PreparedScene.from_radiance(RadianceMap(grey, None)))
        curve = {"points": document((-4, -3)), "colour": "film"}
        codes, _ = renderer.picture(parse_treatment({"curve": curve}), Window.whole((16, 16)), 16)
        self.assertLess(np.ptp(srgb_decode(codes / 65535), axis=-1).max(), 1e-4)
