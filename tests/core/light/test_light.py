"""The Light station's parts: base, automatic values, curves, end points."""

import unittest

import numpy as np

from crenn.core.colorimetry.spaces import MIDDLE_GREY, luminance
from crenn.core.light.automatic import automatic_light
from crenn.core.light.rungs import Rung, placement_ev
from crenn.core.light.shown import STRAIGHT, shown_luminance
from crenn.core.light.tone import tone_ev
from crenn.core.pipeline.instructions import table_stops
from crenn.core.pipeline.scene import SceneLight
from crenn.core.radiance import RadianceMap
from crenn.core.render.grid import build_base, reduced_for_base
from crenn.core.render.pyramid import PreparedScene
from crenn.core.render.renderer import Renderer
from crenn.core.render.window import Window
from crenn.core.report.merging import light_statistics
from crenn.core.treatment import parse_treatment
from tests.support import FolderCase, night, ramp


def light_of(rgb, horizon: float | None = None) -> SceneLight:
    found = light_statistics(rgb, None, None) | {"histogram_bin": 0.125}
    if horizon is not None:
        found["noise_horizon"] = horizon
    return SceneLight.from_report(found)


class Base(unittest.TestCase):
    def base_at(self, rgb, reach=3.0):
        """The base read at every pixel through the renderer's own pass: placement of minus the base."""
        grid = build_base(rgb, 1.0, reach, rgb.shape[:2], 1e-6)
        stops = np.log2(luminance(rgb))
        ys = (np.arange(rgb.shape[0]) + 0.5) / grid.cell + 1
        xs = (np.arange(rgb.shape[1]) + 0.5) / grid.cell + 1
        from scipy.ndimage import map_coordinates

        zs = (stops - grid.start) / 0.5
        at = np.stack([np.broadcast_to(ys[:, None], stops.shape), np.broadcast_to(xs[None], stops.shape), zs])
        return map_coordinates(grid.cells, at, order=1, mode="nearest"), stops

    def test_even_light_is_its_own_base(self):
        base, stops = self.base_at(np.full((120, 160, 3), 0.1, np.float32))
        self.assertLess(np.abs(base - stops).max(), 0.02)

    def test_texture_is_evened_and_edges_are_kept(self):
        rng = np.random.default_rng(3)
        rgb = np.full((200, 300, 3), 1.0, np.float32)
        rgb[100:] = 0.02
        rgb *= np.exp2(0.2 * rng.standard_normal((200, 300, 1))).astype(np.float32)
        base, stops = self.base_at(rgb)
        self.assertLess(base[20:80, 50:250].std(), 0.5 * stops[20:80, 50:250].std())
        for row in (99, 100):
            self.assertLess(np.abs(base[row, 20:280].mean() - stops[row, 20:280].mean()), 0.1)

    def test_the_reduced_picture_keeps_its_proportions(self):
        reduced, scale = reduced_for_base(np.ones((1000, 2000, 3), np.float32), 500)
        self.assertEqual(reduced.shape, (250, 500, 3))
        self.assertEqual(scale, 4.0)


class Automatic(unittest.TestCase):
    def test_exposure_follows_the_light_stop_for_stop(self):
        one, two = automatic_light(light_of(night())), automatic_light(light_of(night() * 8))
        self.assertAlmostEqual(one.exposure - two.exposure, 3.0, delta=0.1)
        self.assertAlmostEqual(one.shadows, two.shadows, delta=0.15)

    def test_noise_limits_how_far_shadows_are_opened(self):
        rgb = ramp(40, 600, -12, 1)
        quiet, noisy = automatic_light(light_of(rgb, horizon=-14)), automatic_light(light_of(rgb, horizon=-4))
        self.assertGreater(quiet.shadows, 0.5)
        self.assertEqual(noisy.shadows, 0.0)

    def test_bright_light_is_held_only_where_there_is_any(self):
        sky = np.concatenate([ramp(40, 500, -8, -6), np.full((40, 60, 3), 4.0, np.float32)], 1)
        self.assertLess(automatic_light(light_of(sky)).highlights, -1.0)
        self.assertEqual(automatic_light(light_of(ramp(40, 600, -6, -4))).highlights, 0.0)

    def test_flat_scenes_get_more_contrast(self):
        self.assertGreater(automatic_light(light_of(ramp(40, 600, -5, -2))).contrast, 1.05)
        self.assertEqual(automatic_light(light_of(ramp(40, 600, -12, 2))).contrast, 1.0)

    def test_what_departs_from_its_neighbourhood_is_stretched_by_the_span(self):
        local = [automatic_light(light_of(ramp(40, 600, low, 0))).local for low in (-3, -8, -10, -14)]
        self.assertEqual(local, sorted(local))
        self.assertLess(local[0], 1.2)
        self.assertGreater(local[-1], 1.5)

    def test_black_and_uniform_scenes_have_finite_values(self):
        for rgb in (np.zeros((40, 60, 3), np.float32), np.full((40, 60, 3), 0.2, np.float32)):
            self.assertTrue(np.isfinite(list(vars(automatic_light(light_of(rgb))).values())).all())


class Curves(unittest.TestCase):
    def test_contrast_leaves_middle_grey(self):
        for contrast in (0.5, 1.7):
            self.assertAlmostEqual(float(tone_ev(np.array([MIDDLE_GREY]), contrast, 30, 30)[0]), 0.0, places=3)

    def test_contrast_stretches_and_toe_and_shoulder_flatten(self):
        stops = np.array([MIDDLE_GREY - 4, MIDDLE_GREY - 3, MIDDLE_GREY + 1, MIDDLE_GREY + 2])
        plain, steep = stops + tone_ev(stops, 1.0, 0, 0), stops + tone_ev(stops, 1.5, 0, 0)
        self.assertAlmostEqual(np.diff(steep)[0] / np.diff(plain)[0], 1.5, places=2)
        # About another tone, that one stays; contrast of a part leaves the others as steep as they were.
        self.assertAlmostEqual(float(tone_ev(np.array([-5.0]), 1.6, pivot=-5.0)[0]), 0.0, places=3)
        dark = table_stops() + tone_ev(table_stops(), 1.0, parts=(1.8, 1.0, 1.0))
        for tone, steepness in ((-8.0, 1.8), (-1.0, 1.0)):
            rise = np.interp([tone - 0.2, tone + 0.2], table_stops(), dark)
            self.assertAlmostEqual(float(np.diff(rise)[0] / 0.4), steepness, delta=0.02)
        soft = stops + tone_ev(stops, 1.0, 80, 80)
        self.assertLess(np.diff(soft)[0], 0.5)
        self.assertLess(np.diff(soft)[2], 0.7)

    def test_the_curve_always_rises(self):
        stops = table_stops()
        for contrast, toe, shoulder in ((0.4, 100, 100), (2.5, 0, 100), (1.0, 100, 0)):
            self.assertTrue((np.diff(stops + tone_ev(stops, contrast, toe, shoulder)) > 0).all())

    def test_one_strength_weakens_all_that_placement_does(self):
        rgb = ramp(60, 300, -10, 1)
        renderer = Renderer(PreparedScene.from_radiance(RadianceMap(rgb, None)))
        placed = {"shadows": 3.0, "highlights": -2.0, "midtones": 0.5, "local": 1.5, "rungs": [{"stop": -6, "ev": 1.0}]}
        neutral = parse_treatment({}).neutral().model_dump()

        def moved(strength: float) -> np.ndarray:
            document = parse_treatment(neutral | {"placement": placed | {"strength": strength}})
            return np.log2(luminance(renderer.linear(document, Window.whole(rgb.shape[:2]))) / luminance(rgb))

        np.testing.assert_array_equal(moved(0.0), 0.0)
        half, whole, more = moved(50.0), moved(100.0), moved(150.0)
        inner = np.s_[20:-20, 20:-20]
        self.assertGreater(float(np.abs(whole[inner]).mean()), 0.5)
        np.testing.assert_allclose(half[inner], whole[inner] / 2, atol=0.12)
        self.assertGreater(float(np.abs(more[inner]).mean()), float(np.abs(whole[inner]).mean()) * 1.2)

    def test_open_shadows_lift_the_dark_and_leave_the_bright(self):
        stops = np.array([-12.0, -8.5, MIDDLE_GREY, 0.0, 3.0])
        added = np.interp(stops, table_stops(), placement_ev(table_stops(), 2.0, 0.0, [], 0.0))
        np.testing.assert_allclose(added, [2.0, 2.0, 0.0, 0.0, 0.0], atol=0.02)

    def test_widths_say_how_far_shadows_and_highlights_reach(self):
        stops = table_stops()
        near = (stops < MIDDLE_GREY - 2.5) & (stops > MIDDLE_GREY - 5)
        wide, narrow = (placement_ev(stops, 2.0, 0.0, [], 0.0, shadow_width=w) for w in (8.0, 3.0))
        self.assertTrue((narrow[near] > wide[near]).all())
        bright = (stops > MIDDLE_GREY + 2) & (stops < MIDDLE_GREY + 5)
        wide, narrow = (placement_ev(stops, 0.0, -2.0, [], 0.0, highlight_width=w) for w in (8.0, 3.0))
        self.assertTrue((narrow[bright] < wide[bright]).all())

    def test_midtones_leave_black_and_white(self):
        stops = np.array([-14.0, MIDDLE_GREY - 6, MIDDLE_GREY - 2, MIDDLE_GREY + 2, 3.0])
        added = np.interp(stops, table_stops(), placement_ev(table_stops(), 0.0, 0.0, [], 0.0, midtones=1.5))
        np.testing.assert_allclose(added, [0, 0, 1.5, 0, 0], atol=0.03)

    def test_no_dial_turns_tones_over(self):
        stops = table_stops()
        for shadows, highlights, widths, midtones in (
            (8, -8, (2, 2), 3),
            (-6, 4, (2, 2), -3),
            (8, 4, (10, 2), 3),
            (0, 0, (6, 6), -3),
        ):
            placed = stops + placement_ev(stops, shadows, highlights, [], 0.0, *widths, midtones)
            self.assertTrue((np.diff(placed) > 0).all())

    def test_one_dial_lifts_the_dark_or_holds_the_bright(self):
        """Shown by the picture: nothing else changes."""
        rgb = ramp(40, 640, -11, 1)
        scene = PreparedScene.from_radiance(RadianceMap(rgb, rgb * 0.02))
        fixed = {"exposure": {"ev": 0}, "tone": {"contrast": 1}, "ends": {"white": 0, "black": -14}}

        def row(balance: float) -> np.ndarray:
            document = fixed | {"placement": {"shadows": 0, "highlights": 0, "local": 1, "balance": balance}}
            light = Renderer(scene).linear(parse_treatment(document), Window.whole(scene.size))
            return np.log2(light[20, :, 1] / rgb[20, :, 1])

        up, down = row(2.0), row(-2.0)
        dark = np.log2(rgb[20, :, 1]) < MIDDLE_GREY - 1
        bright = np.log2(rgb[20, :, 1]) > MIDDLE_GREY + 1
        self.assertGreater(up[dark].min(), 0.05)
        self.assertLess(np.abs(up[bright]).max(), 0.1)
        self.assertLess(np.abs(down[dark]).max(), 0.1)
        self.assertLess(down[bright].max(), -0.05)

    def test_rungs_stand_on_stops_of_the_scene_whatever_the_exposure(self):
        for exposure in (-3.0, 0.0, 4.0):
            added = placement_ev(table_stops(), 0, 0, [Rung(stop=-5, ev=-0.7)], exposure)
            self.assertAlmostEqual(float(np.interp(-5 + exposure, table_stops(), added)), -0.7, places=2)

    def test_light_is_shown_in_proportion_and_rolls_off_smoothly(self):
        stops = np.linspace(-8, 3, 2000)
        shown = shown_luminance(stops, 2.0, None)
        dark = np.exp2(stops) < STRAIGHT
        np.testing.assert_allclose(shown[dark], np.exp2(stops)[dark], rtol=1e-6)
        slope = np.diff(shown) / np.diff(np.exp2(stops))
        self.assertLess(np.abs(np.diff(slope[stops[:-1] < 1.9])).max(), 0.02)
        self.assertTrue((np.diff(shown) >= 0).all())

    def test_with_room_above_white_darks_stay_and_lamps_reach_the_peak(self):
        stops = np.linspace(-8, 6, 2800)
        plain = shown_luminance(stops, 4.0, -8.0)
        np.testing.assert_array_equal(shown_luminance(stops, 4.0, -8.0, 1.0), plain)
        before = plain
        for peak in (2.0, 4.0, 12.0):
            shown = shown_luminance(stops, 4.0, -8.0, peak)
            np.testing.assert_allclose(shown[plain < STRAIGHT], plain[plain < STRAIGHT], rtol=1e-9)
            self.assertAlmostEqual(shown.max(), peak, places=6)
            self.assertTrue((np.diff(shown) >= 0).all() and (shown >= before - 1e-9).all())
            slope = np.diff(shown) / np.diff(np.exp2(stops))
            self.assertLess(np.abs(np.diff(slope[stops[:-1] < 3.9])).max(), 0.02)
            before = shown
        # More room than there is light to fill it: lamps stand as they are.
        self.assertAlmostEqual(shown_luminance(stops, 4.0, None, 32.0).max(), 16, places=6)

    def test_a_white_point_below_nominal_white_brightens(self):
        self.assertGreater(float(shown_luminance(np.array([-3.0]), -1.0, None)[0]), 2.0**-3 * 1.9)


class Prepared(FolderCase):
    def test_saved_and_opened_scenes_render_the_same(self):
        scene = PreparedScene.from_radiance(
            RadianceMap(
                night(700, 1050),
                night(700, 1050) * 0.05,
                np.zeros((700, 1050), np.uint8),
                np.zeros((700, 1050), np.uint8),
            )
        )
        scene.save(self.folder / "1-1")
        opened = PreparedScene.open(self.folder / "1-1")
        self.assertEqual(opened.size, (700, 1050))
        window = Window(100, 80, 400, 300, 333, 250)
        one, two = (Renderer(s).picture(parse_treatment({}), window)[0] for s in (scene, opened))
        np.testing.assert_array_equal(one, two)

    def test_a_damaged_scene_is_told(self):
        from crenn.core.errors import CrennError

        with self.assertRaisesRegex(CrennError, "Merge it again"):
            PreparedScene.open(self.folder / "9-9")

    def test_levels_keep_the_light(self):
        scene = PreparedScene.from_radiance(RadianceMap(night(1024, 2048), None))
        self.assertEqual(scene.level_for(1e-6), 2)
        for level in range(3):
            self.assertAlmostEqual(float(scene.read(level).mean()), float(scene.read(0).mean()), delta=1e-4)
