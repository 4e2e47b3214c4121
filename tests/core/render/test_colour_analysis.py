"""What Colour tells of a picture: picks, the distribution, masks of ranges, what sRGB cannot show."""

import unittest

import numpy as np

from crenn.core.colorimetry.oklab import from_oklab, hue_and_saturation
from crenn.core.colorimetry.spaces import REC2020_TO_SRGB, srgb_encode
from crenn.core.errors import CrennError
from crenn.core.radiance import RadianceMap
from crenn.core.render.colour_analysis import MOST, RINGS, SECTORS, colour_of_code, distribution, pick, range_mask
from crenn.core.render.display import OUTSIDE
from crenn.core.render.probe import probe
from crenn.core.render.pyramid import PreparedScene
from crenn.core.render.renderer import Renderer
from crenn.core.render.views import About, paint_view
from crenn.core.render.window import Window
from crenn.core.treatment import Treatment, parse_treatment
from tests.core.colour.charts import colours, document, scene_of

SIZE = (120, 180)
WHOLE = Window.whole(SIZE)
#: Hues of six fields, three in a row.
FIELDS = (20.0, 80.0, 140.0, 200.0, 260.0, 320.0)


def fields(saturation: float = 0.12, spread: float = 0.0) -> np.ndarray:
    rng = np.random.default_rng(1)
    hue = np.repeat(np.repeat(np.reshape(FIELDS, (2, 3)), 60, 0), 60, 1) + spread * rng.standard_normal(SIZE)
    return colours(hue, saturation, 0.5)


class Picks(unittest.TestCase):
    def place(self, column: int, row: int) -> tuple[float, float]:
        return (column + 0.5) / 180, (row + 0.5) / 180

    def test_a_field_is_told_by_its_hue(self):
        renderer = Renderer(scene_of(fields()))
        for k, hue in enumerate(FIELDS):
            found = pick(renderer, parse_treatment(document()), self.place(30 + 60 * (k % 3), 30 + 60 * (k // 3)), 12)
            self.assertAlmostEqual(found.hue, hue, delta=0.2)
            self.assertAlmostEqual(found.saturation, 0.12, delta=0.001)
            self.assertLess(found.spread, 0.2)

    def test_its_spread_is_told(self):
        renderer = Renderer(scene_of(fields(spread=30.0)))
        one = pick(renderer, parse_treatment(document()), self.place(30, 30), 6)
        self.assertGreater(one.spread, 3)

    def test_what_the_steps_before_have_made_of_it(self):
        renderer = Renderer(scene_of(fields()))
        treatment = parse_treatment(
            document(saturation={"hue": 30}, hues={"ranges": [{"name": "a", "hue": 50, "shift": 40}]})
        )
        self.assertAlmostEqual(pick(renderer, treatment, self.place(30, 30), 6).hue, 50, delta=0.3)

    def test_black_grey_white_and_clipped_places_are_said(self):
        rgb = fields()
        rgb[:60, :60] = 1e-7
        rgb[60:, :60] = 0.2
        rgb[:60, 60:120] = 40.0
        clipped = np.zeros(SIZE, np.uint8)
        clipped[60:, 120:] = 7
        radiance = RadianceMap(rgb, np.maximum(rgb, 1e-4) * 0.02, clipped=clipped)
        renderer = Renderer(PreparedScene.from_radiance(radiance))
        for x, y, says in ((30, 30, "black"), (30, 90, "grey"), (90, 30, "white"), (150, 90, "clipped")):
            with self.subTest(says=says), self.assertRaises(CrennError) as caught:
                pick(renderer, parse_treatment(document()), self.place(x, y), 6)
            self.assertIn(says, str(caught.exception))
        with self.assertRaises(CrennError):
            pick(renderer, Treatment(), (3.0, 0.1), 6)


class Distribution(unittest.TestCase):
    def test_fields_lie_where_they_are(self):
        shares = distribution(Renderer(scene_of(fields())), parse_treatment(document()))
        self.assertEqual(shares.shape, (SECTORS, RINGS))
        self.assertAlmostEqual(shares.sum(), 1, delta=1e-9)
        ring = int(np.sqrt(0.12 / MOST) * RINGS)
        for hue in FIELDS:
            sector = int(hue / 360 * SECTORS)
            near = shares[[sector - 1, sector], ring - 1 : ring + 2].sum()
            self.assertAlmostEqual(near, 1 / 6, delta=0.02)

    def test_it_follows_what_is_done(self):
        renderer = Renderer(scene_of(fields()))
        grey = distribution(renderer, parse_treatment(document(saturation={"saturation": 0})))
        self.assertAlmostEqual(grey[:, 0].sum(), 1, delta=1e-6)


class Masks(unittest.TestCase):
    def treatment(self) -> Treatment:
        return parse_treatment(document(hues={"ranges": [{"name": "a", "hue": 140, "width": 30, "shift": 60}]}))

    def test_a_range_takes_its_field(self):
        mask = range_mask(Renderer(scene_of(fields())), self.treatment(), "a", WHOLE) / 65535
        self.assertGreater(mask[:60, 120:].min(), 0.95)
        self.assertLess(mask[60:].max(), 0.001)

    def test_there_is_none_of_another_name(self):
        self.assertEqual(range_mask(Renderer(scene_of(fields())), self.treatment(), "b", WHOLE).max(), 0)

    def test_the_view_turns_all_else_grey(self):
        codes, _ = paint_view(Renderer(scene_of(fields())), self.treatment(), WHOLE, "range", about=About(range="a"))
        self.assertGreater(np.ptp(codes[30, 150].astype(int)), 30)
        self.assertLess(np.ptp(codes[90, 90].astype(int)), 3)


class Outside(unittest.TestCase):
    def outside(self, rgb: np.ndarray) -> np.ndarray:
        renderer = Renderer(scene_of(rgb))
        return renderer.picture(parse_treatment(document()), Window.whole(rgb.shape[:2]))[1] & OUTSIDE > 0

    def test_colours_beyond_srgb_are_told_from_those_within(self):
        rgb = np.concatenate([np.broadcast_to(colours(142.0, s, 0.5), (60, 90, 3)) for s in (0.1, 0.5)], 1)
        found = self.outside(rgb)
        self.assertFalse(found[:, :90].any())
        self.assertTrue(found[:, 90:].all())

    def test_the_border_is_that_of_srgb(self):
        """Of the green that sRGB can show at its purest, what is a little duller is inside, a little purer is not."""
        green = np.array([0.0, 0.3, 0.0]) @ np.linalg.inv(REC2020_TO_SRGB).T
        hue, saturation = (float(v) for v in hue_and_saturation(green))
        rgb = np.stack([colours(hue, saturation * by, 0.3)[None] for by in (0.97, 1.04)], 1)
        np.testing.assert_array_equal(
            self.outside(np.repeat(np.repeat(rgb, 20, 0), 20, 1))[10, [10, 30]], [False, True]
        )

    def test_lamps_that_burn_out_are_not_meant(self):
        rgb = np.full((40, 60, 3), 0.1, np.float32)
        rgb[10:20, 10:20] = 60.0
        self.assertFalse(self.outside(rgb).any())

    def test_the_view_keeps_the_colour_of_what_is_beyond(self):
        rgb = np.concatenate([np.broadcast_to(colours(142.0, s, 0.5), (60, 90, 3)) for s in (0.1, 0.5)], 1)
        codes, _ = paint_view(Renderer(scene_of(rgb)), parse_treatment(document()), Window.whole((60, 180)), "outside")
        self.assertLess(np.ptp(codes[30, 30].astype(int)), 3)
        self.assertGreater(np.ptp(codes[30, 150].astype(int)), 60)


class UnderThePointer(unittest.TestCase):
    def test_hue_chroma_lightness_and_code(self):
        found = probe(Renderer(scene_of(fields())), parse_treatment(document()), 90.5, 30.5)
        hue, chroma, lightness = found["colour"]
        self.assertAlmostEqual(hue, 80, delta=1.5)
        self.assertAlmostEqual(lightness, 50, delta=0.6)
        self.assertAlmostEqual(chroma, 6, delta=0.3)
        self.assertEqual(len(found["code"]), 3)
        self.assertFalse(found["outside"])
        np.testing.assert_allclose(found["on_circle"], (80, 0.12), atol=0.2)

    def test_codes_to_oklab_and_back(self):
        light = from_oklab(np.array([0.6, 0.05, -0.04]))
        hue, chroma, lightness = colour_of_code(srgb_encode(REC2020_TO_SRGB @ light))
        self.assertAlmostEqual(hue, float(hue_and_saturation(light)[0]), delta=0.01)
        self.assertAlmostEqual(chroma, 100 * np.hypot(0.05, 0.04), delta=0.01)
        self.assertAlmostEqual(lightness, 60, delta=0.01)


if __name__ == "__main__":
    unittest.main()
