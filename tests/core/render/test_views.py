"""Views: what clips, the ladder, the probe, and the noise that hides steps between codes."""

import unittest

import numpy as np

from crenn.core.deliver.writers import cut
from crenn.core.errors import CrennError
from crenn.core.radiance import RadianceMap
from crenn.core.render.display import CLIP_BLUE, CLIP_GREEN, CLIP_RED, CRUSHED
from crenn.core.render.ladder import ladder
from crenn.core.render.probe import probe
from crenn.core.render.pyramid import PreparedScene
from crenn.core.render.renderer import Renderer
from crenn.core.render.views import VIEWS, paint_view
from crenn.core.render.window import Window
from crenn.core.treatment import Treatment, parse_treatment
from tests.support import night

PLAIN = {"exposure": {"ev": 0}, "placement": {"on": False}, "tone": {"on": False}}


def renderer(rgb, **planes) -> Renderer:
    return Renderer(PreparedScene.from_radiance(RadianceMap(rgb.astype(np.float32), None, **planes)))


class Limits(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        # A third beyond white, a third in the middle, a sixth red alone beyond white, a sixth below black.
        rgb = np.full((240, 360, 3), 0.2, np.float32)
        rgb[:, :120] = 8.0
        rgb[:, 240:300] = (1.6, 0.35, 0.3)
        rgb[:, 300:] = 2.0**-14
        cls.renderer = renderer(rgb)
        cls.treatment = parse_treatment(PLAIN | {"ends": {"white": 1.0, "black": -9}})
        cls.window = Window.whole((240, 360))

    def test_limits_tell_what_clips(self):
        _, limits = self.renderer.picture(self.treatment, self.window)
        self.assertTrue((limits[:, :120] == CLIP_RED | CLIP_GREEN | CLIP_BLUE).all())
        self.assertTrue((limits[:, 120:240] == 0).all())
        self.assertTrue((limits[:, 300:] == CRUSHED).all())

    def test_only_what_clips_is_marked(self):
        plain, shares = paint_view(self.renderer, self.treatment, self.window, "picture")
        marked, same = paint_view(self.renderer, self.treatment, self.window, "limits")
        self.assertEqual(shares, same)
        self.assertAlmostEqual(shares["white"], 1 / 3, places=6)
        self.assertAlmostEqual(shares["black"], 1 / 6, places=6)
        touched = (plain != marked).any(-1)
        self.assertFalse(touched[:, 120:240].any())
        # Hatching and dots leave most of the picture to be seen.
        for part in (touched[:, :120], touched[:, 300:]):
            self.assertTrue(0.2 < part.mean() < 0.7, part.mean())

    def test_lost_light_is_hatched_the_denser_the_more_channels(self):
        clipped = np.zeros((240, 360), np.uint8)
        clipped[40:100, 40:100], clipped[40:100, 140:200], clipped[40:100, 240:300] = 1, 3, 7
        shown = renderer(np.full((240, 360, 3), 0.2, np.float32), clipped=clipped)
        codes, _ = paint_view(shown, self.treatment, self.window, "lost")
        coloured = np.ptp(codes.astype(int), axis=-1) > 20
        shares = [coloured[50:90, x : x + 40].mean() for x in (50, 150, 250)]
        self.assertEqual(shares, sorted(shares))
        self.assertGreater(shares[0], 0.1)
        self.assertGreater(shares[2], shares[0] + 0.1)
        self.assertFalse(coloured[120:].any())

    def test_clipped_and_crushed_are_told_apart_by_more_than_colour(self):
        marked, _ = paint_view(self.renderer, self.treatment, self.window, "limits")
        plain, _ = paint_view(self.renderer, self.treatment, self.window, "picture")
        touched = (plain != marked).any(-1)
        # Along a diagonal hatching is all on or all off; dots never are.
        hatched, dotted = touched[:100, :100], touched[:56, 302:358]
        along = np.array([np.diagonal(np.fliplr(hatched), k).mean() for k in range(-60, 61)])
        self.assertTrue(((along == 0) | (along == 1)).all())
        along = np.array([np.diagonal(np.fliplr(dotted), k).mean() for k in range(-20, 21)])
        self.assertFalse((along == 1).any())

    def test_a_dial_moves_the_limits(self):
        for ev, bit, least in ((12, CLIP_GREEN, 0.8), (-12, CRUSHED, 0.8)):
            document = parse_treatment(PLAIN | {"exposure": {"ev": ev}, "ends": {"white": 1.0, "black": -9}})
            _, limits = self.renderer.picture(document, self.window)
            self.assertGreater((limits & bit > 0).mean(), least)


class Places(unittest.TestCase):
    def test_source_and_moved_views_show_the_planes(self):
        source = np.zeros((200, 300), np.uint8)
        source[:, 150:] = 1
        moved = np.zeros((200, 300), np.uint8)
        moved[60:120, 40:100] = 1
        rgb = np.full((200, 300, 3), (0.3, 0.15, 0.05), np.float32)
        r = renderer(rgb, source=source, moved=moved)
        r.scene.report.update(
            frames=[{"ev": -2.0, "clip_stop": 2.0, "name": "a"}, {"ev": 0.0, "clip_stop": 0.0, "name": "b"}],
            source_indices=[0, 1],
        )
        whole = Window.whole((200, 300))
        shown, _ = paint_view(r, Treatment(), whole, "source")
        self.assertGreater(int(shown[20, 20, 0]), int(shown[20, 280, 0]) + 60)
        self.assertTrue((shown[20:40, 160:, 0] == shown[20:40, 160:, 2]).all())
        plain, _ = paint_view(r, Treatment(), whole, "picture")
        shown, _ = paint_view(r, Treatment(), whole, "moved")
        np.testing.assert_array_equal(shown[64:116, 44:96], plain[64:116, 44:96])
        self.assertEqual(np.ptp(shown[150:, :].astype(int), axis=-1).max(), 0)
        # The same place at another zoom: its corner stays where it was.
        shown, _ = paint_view(r, Treatment(), Window(30, 50, 40, 40, 160, 160), "moved")
        coloured = np.ptp(shown.astype(int), axis=-1) > 12
        self.assertFalse(coloured[:36].any() and coloured[:36, 50:150].mean() > 0.2)
        self.assertTrue(coloured[48:150, 48:150].all())

    def test_untreated_does_not_follow_the_treatment(self):
        r = renderer(night())
        whole = Window.whole(r.scene.size)
        wild = parse_treatment({"placement": {"shadows": 5.0}, "tone": {"contrast": 2.0}})
        one, _ = paint_view(r, wild, whole, "untreated")
        np.testing.assert_array_equal(one, paint_view(r, Treatment(), whole, "untreated")[0])
        self.assertGreater(np.abs(one.astype(int) - paint_view(r, wild, whole, "picture")[0]).mean(), 4)

    def test_the_probe_reads_the_scene(self):
        rgb = night(640, 960)
        r = Renderer(PreparedScene.from_radiance(RadianceMap(rgb, rgb * 0.01)))
        for x, y in ((500, 100), (90, 200), (959, 639)):
            found = probe(r, Treatment(), x + 0.7, y + 0.2)
            self.assertAlmostEqual(found["stop"], np.log2(rgb[y, x] @ [0.2627, 0.678, 0.0593]), delta=0.01)
            # Independent channels of 1 % each: less than 40 dB / their weights, by the root of the sum of squares.
            share = rgb[y, x] * [0.2627, 0.678, 0.0593]
            self.assertAlmostEqual(
                found["snr_db"], 20 * np.log10(share.sum() / (0.01 * np.hypot.reduce(share))), delta=0.1
            )
        for place in ((-1, 5), (5, -0.1), (960, 5), (5, 640)):
            self.assertIsNone(probe(r, Treatment(), *place))

    def test_the_ladder_agrees_with_the_picture(self):
        grey = np.full((200, 300, 3), 2.0**-4, np.float32)
        grey[:, :40] = 2.0**1
        grey[:, -40:] = 2.0**-9
        r = renderer(grey)
        for document in ({}, {"exposure": {"ev": 1.0}}, {"tone": {"contrast": 1.5, "toe": 40}}, {"ends": {"white": 3}}):
            treatment = parse_treatment(document)
            lines = dict(ladder(treatment, r.scene))
            with self.subTest(document=document):
                for x, stop in ((20, 1.0), (150, -4.0), (280, -9.0)):
                    self.assertAlmostEqual(lines[stop], probe(r, treatment, x, 100)["tone"], delta=1.0)
                self.assertTrue((np.diff(list(lines.values())) >= 0).all())


class Dither(unittest.TestCase):
    """A dim sky that climbs less than four codes over its width: in codes of 8 bits without noise it would be bands."""

    @classmethod
    def setUpClass(cls):
        light = np.linspace(0.0040, 0.0052, 1024, dtype=np.float32)
        cls.renderer = renderer(np.broadcast_to(light[None, :, None], (256, 1024, 3)))
        cls.window = Window.whole((256, 1024))
        cls.treatment = parse_treatment(PLAIN | {"ends": {"on": False}})
        cls.fine = cls.renderer.picture(cls.treatment, cls.window, 16)[0]

    def check(self, cut: np.ndarray) -> None:
        self.assertEqual(cut.dtype, np.uint8)
        exact = self.fine[:, :, 1].astype(float) / 257
        self.assertLess(np.ptp(exact), 4)
        # Over an area the mean is what it was: no band departs from the slope.
        blocks = (cut[:, :, 1] - exact).reshape(8, 32, 32, 32).mean((1, 3))
        self.assertLess(np.abs(blocks).max(), 0.06)
        self.assertLess(np.abs(cut[:, :, 1] - exact).max(), 1.01)
        # Noise, not a pattern: neighbours and channels do not follow each other.
        noise = (cut - self.fine / 257)[:, :512]
        for one, other in ((noise[:-1, :, 1], noise[1:, :, 1]), (noise[:, :-1, 1], noise[:, 1:, 1])):
            self.assertLess(abs(np.corrcoef(one.ravel(), other.ravel())[0, 1]), 0.05)
        self.assertLess(abs(np.corrcoef(noise[..., 0].ravel(), noise[..., 2].ravel())[0, 1]), 0.05)

    def test_views_are_dithered(self):
        self.check(self.renderer.picture(self.treatment, self.window, 8)[0])

    def test_delivered_pictures_are_dithered(self):
        self.check(cut(self.fine, 8))

    def test_black_and_white_stay_clean(self):
        ends = np.zeros((64, 64, 3), np.uint16)
        ends[:, 32:] = 65535
        eight = cut(ends, 8)
        self.assertTrue((eight[:, :32] == 0).all() and (eight[:, 32:] == 255).all())


class Nothing(unittest.TestCase):
    """Views of places where nothing was recorded."""

    def test_an_empty_corner_clips_nowhere_and_its_shares_are_numbers(self):
        rgb = night()
        renderer = Renderer(PreparedScene.from_radiance(RadianceMap(rgb, None)))
        treatment = parse_treatment({"level": {"angle": 30}, "crop": {"corners": True, "ratio": "free"}})
        frame = renderer.frame(treatment)
        corner = Window(0, 0, 20, 20, 20, 20)
        recorded = renderer.recorded(treatment, corner)
        self.assertFalse(recorded.any(), frame.size)
        for view in VIEWS:
            _, shares = paint_view(renderer, treatment, corner, view)
            self.assertEqual(max(map(max, shares.pop("bins").values())), 0)
            self.assertEqual(shares, {"white": 0.0, "some": 0.0, "black": 0.0}, view)

    def test_a_crop_beyond_all_that_was_recorded_is_refused_in_words(self):
        renderer = Renderer(PreparedScene.from_radiance(RadianceMap(night(), None)))
        for centre in ([-1.5, 0.3], [2.5, 0.3], [0.5, -1.9]):
            crop = {"corners": True, "ratio": "free", "centre": centre, "width": 1.0, "height": 1.0}
            with self.subTest(centre=centre), self.assertRaisesRegex(CrennError, "outside the picture"):
                renderer.frame(parse_treatment({"crop": crop}))
