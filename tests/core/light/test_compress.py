"""Ways of compressing: what even light, edges and detail come to in each."""

import unittest

import numpy as np

from crenn.core.light.compress import fused, local_laplacian
from crenn.core.light.rungs import placement_ev
from crenn.core.pipeline.instructions import table_stops
from crenn.core.radiance import RadianceMap
from crenn.core.render.ladder import ladder
from crenn.core.render.pyramid import PreparedScene
from crenn.core.render.renderer import Renderer
from crenn.core.render.window import Window
from crenn.core.treatment import Treatment, parse_treatment
from tests.support import night

WAYS = (local_laplacian, fused)
TABLE = placement_ev(table_stops(), 4.0, -4.0, [], 0.0)


def placed(stops: np.ndarray) -> np.ndarray:
    """A strong placement: shadows opened and highlights held by 4 EV."""
    return stops + np.interp(stops, table_stops(), TABLE)


def step(low: float, high: float, texture: float = 0.0) -> np.ndarray:
    """Two plateaus side by side, float32 (200, 300)."""
    stops = np.full((200, 300), low, np.float32)
    stops[:, 150:] = high
    return stops + np.float32(texture) * np.random.default_rng(1).standard_normal(stops.shape).astype(np.float32)


class Both(unittest.TestCase):
    def test_nothing_added_changes_nothing(self):
        stops = step(-8, -2, 0.2)
        for way in WAYS:
            with self.subTest(way=way.__name__):
                np.testing.assert_allclose(way(stops, lambda own: own), stops, atol=0.02)

    def test_even_light_is_put_where_placement_says(self):
        for way in WAYS:
            for stop in (-9.0, -5.0, -1.0):
                with self.subTest(way=way.__name__, stop=stop):
                    even = np.full((90, 120), stop, np.float32)
                    np.testing.assert_allclose(way(even, placed), placed(even), atol=0.02)

    def test_edges_are_pressed_together_and_never_turned_over(self):
        for way in WAYS:
            out = way(step(-9, -1), placed)
            dark, bright = out[:, 20:130].mean(), out[:, 170:280].mean()
            with self.subTest(way=way.__name__):
                self.assertLess(bright - dark, 8 - 2)
                self.assertGreater(bright - dark, float(np.diff(placed(np.array([-9.0, -1.0])))[0]) - 0.5)

    def test_odd_sizes(self):
        for way in WAYS:
            for shape in ((7, 5), (3, 200), (1, 1), (2, 2)):
                with self.subTest(way=way.__name__, shape=shape):
                    out = way(np.full(shape, -6.0, np.float32), placed)
                    self.assertEqual(out.shape, shape)
                    self.assertTrue(np.isfinite(out).all())


class LocalLaplacian(unittest.TestCase):
    def test_detail_is_kept_where_a_curve_flattens_it(self):
        stops = step(-9, -1, 0.15)
        out, curve = local_laplacian(stops, placed), placed(stops)
        side = np.s_[:, 170:280]
        self.assertLess(curve[side].std(), 0.75 * stops[side].std())
        self.assertAlmostEqual(out[side].std(), stops[side].std(), delta=0.1 * stops[side].std())

    def test_a_skyline_has_no_halo(self):
        out = local_laplacian(step(-9, -1), placed)
        for side in (np.s_[:, 20:146], np.s_[:, 154:280]):
            # Of the four stops by which the edge is pressed together.
            self.assertLess(np.ptp(out[side].mean(0)), 0.5)


class InThePicture(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.renderer = Renderer(PreparedScene.from_radiance(RadianceMap(night(), None)))

    def shown(self, **placement) -> np.ndarray:
        treatment = parse_treatment({"placement": placement})
        return self.renderer.picture(treatment, Window.whole(self.renderer.scene.size), 16)[0].astype(float)

    def test_without_placement_all_ways_are_one(self):
        plain = {"shadows": 0.0, "highlights": 0.0}
        base = self.shown(**plain)
        for way in ("laplacian", "fusion", "curve"):
            with self.subTest(way=way):
                np.testing.assert_array_equal(self.shown(way=way, **plain), base)

    def test_each_way_opens_the_dark_and_the_ladder_says_the_same(self):
        dark = np.s_[260:, :60]
        closed = self.shown(shadows=0.0, highlights=0.0)[dark].mean()
        lines = ladder(parse_treatment({"placement": {"shadows": 3.0}}), self.renderer.scene)
        for way in ("base", "laplacian", "fusion", "curve"):
            with self.subTest(way=way):
                self.assertGreater(self.shown(way=way, shadows=3.0)[dark].mean(), 1.5 * closed)
                own = ladder(parse_treatment({"placement": {"way": way, "shadows": 3.0}}), self.renderer.scene)
                np.testing.assert_allclose(own, lines, atol=0.5)

    def test_light_alone_makes_the_same_of_the_same_light(self):
        """By one curve, places of one light come out alike wherever they are."""
        rgb = np.full((200, 300, 3), 0.002, np.float32)
        rgb[:, 150:] = 0.5
        rgb[80:100, 40:60] = rgb[80:100, 250:270] = 0.03
        made = Renderer(PreparedScene.from_radiance(RadianceMap(rgb, None)))
        placement = {"way": "curve", "shadows": 4.0, "highlights": -4.0, "local": 1.0}
        off = Treatment.neutral().model_dump() | {"placement": {"on": True} | placement}
        light = made.linear(parse_treatment(off), Window.whole((200, 300)))
        np.testing.assert_allclose(light[90, 50], light[90, 260], rtol=1e-4)

    def test_a_way_that_there_is_not_is_refused(self):
        with self.assertRaisesRegex(Exception, "placement.way"):
            parse_treatment({"placement": {"way": "magic"}})
