"""Brush strokes: what they leave, by what they are defined to."""

import unittest

import numpy as np
from pydantic import ValidationError

from crenn.core.areas.brush import GRID, MOST_POINTS, MOST_STROKES, Brush, BrushStroke, painted
from crenn.core.radiance import RadianceMap
from crenn.core.render.pyramid import PreparedScene
from crenn.core.render.renderer import Renderer
from crenn.core.render.window import Window
from crenn.core.treatment import parse_treatment

SIDE = 400


def stroke(*places: tuple[float, float], radius: float = 0.05, **more) -> BrushStroke:
    whole = np.round(np.array(places) * GRID).astype(int)
    steps = np.concatenate([whole[:1], np.diff(whole, axis=0)])
    return BrushStroke(points=steps.ravel().tolist(), radius=radius, **more)


def paint(*strokes: BrushStroke, before: np.ndarray | None = None, side: int = SIDE) -> np.ndarray:
    empty = np.zeros((side * 3 // 4, side), np.float32)
    nothing = [np.zeros((1, 3), np.float32)] * len(strokes)
    told = np.zeros((1, 1, 3), np.float32)
    return painted(list(strokes), empty if before is None else before, (0.0, 0.0), side, told, nothing)


class Strokes(unittest.TestCase):
    def test_points_are_steps_on_a_grid(self):
        one = stroke((0.25, 0.5), (0.3, 0.5), (0.3, 0.6))
        np.testing.assert_allclose(one.places(), [[0.25, 0.5], [0.3, 0.5], [0.3, 0.6]], atol=1 / GRID)

    def test_a_line_is_full_within_its_hardness_and_nothing_beyond_its_reach(self):
        mask = paint(stroke((0.2, 0.4), (0.8, 0.4), hardness=60))
        across = mask[:, SIDE // 2]
        away = np.abs((np.arange(across.size) + 0.5) / SIDE - 0.4) / 0.05
        self.assertGreater(float(across[away < 0.5].min()), 0.97)
        self.assertEqual(float(across[away > 1.02].max()), 0.0)
        self.assertTrue((np.diff(across[: int(0.4 * SIDE)]) >= -1e-6).all())

    def test_flow_is_how_much_of_the_limit_one_pass_leaves_and_passes_add_up_to_it(self):
        line = stroke((0.1, 0.4), (0.9, 0.4), flow=30, limit=80)
        middle = int(0.4 * SIDE), SIDE // 2
        once = paint(line)
        self.assertAlmostEqual(float(once[middle]), 0.3 * 0.8, delta=0.01)
        twice = paint(line, line)
        self.assertAlmostEqual(float(twice[middle]), 0.8 * (1 - 0.7**2), delta=0.015)
        self.assertAlmostEqual(float(paint(*[line] * 30)[middle]), 0.8, delta=0.002)

    def test_a_click_leaves_as_much_in_its_middle_as_a_pass(self):
        mask = paint(stroke((0.5, 0.4), flow=40))
        self.assertAlmostEqual(float(mask[int(0.4 * SIDE), SIDE // 2]), 0.4, delta=0.01)

    def test_it_does_not_matter_by_how_many_points_a_line_is_told(self):
        few = stroke((0.1, 0.4), (0.9, 0.4), flow=50)
        many = stroke(*[(0.1 + 0.8 * i / 400, 0.4) for i in range(401)], flow=50)
        np.testing.assert_allclose(paint(few), paint(many), atol=0.01)

    def test_rubbing_takes_away_what_is_there_and_painting_less_than_there_is_does_nothing(self):
        line = stroke((0.1, 0.4), (0.9, 0.4))
        full = paint(line)
        rubbed = paint(stroke((0.5, 0.1), (0.5, 0.7), rubs=True), before=full)
        at = int(0.4 * SIDE)
        self.assertLess(float(rubbed[at, SIDE // 2]), 0.01)
        self.assertEqual(float(rubbed[at, SIDE // 5]), float(full[at, SIDE // 5]))
        less = paint(stroke((0.1, 0.4), (0.9, 0.4), limit=40), before=full)
        np.testing.assert_array_equal(less, np.maximum(less, full))
        self.assertEqual(float(paint(stroke((0.5, 0.5), rubs=True)).max()), 0.0)

    def test_pressure_lessens_what_a_pass_leaves(self):
        places = [(0.1, 0.4), (0.9, 0.4)]
        whole, half = (paint(stroke(*places, flow=40, pressure=[p, p])) for p in (255, 128))
        middle = int(0.4 * SIDE), SIDE // 2
        self.assertAlmostEqual(float(half[middle]), 1 - 0.6**0.5, delta=0.02)
        self.assertGreater(float(whole[middle]), float(half[middle]))

    def test_feather_fades_beyond_the_radius(self):
        plain, soft = (paint(stroke((0.2, 0.4), (0.8, 0.4), feather=f)) for f in (0, 100))
        row = int((0.4 + 0.05 * 1.4) * SIDE)
        self.assertEqual(float(plain[row, SIDE // 2]), 0.0)
        self.assertGreater(float(soft[row, SIDE // 2]), 0.05)

    def test_a_stroke_that_is_very_long_and_thin_has_no_more_dabs_than_can_be_painted(self):
        points = [0, 0, *[GRID, 3, -GRID, 3] * 450]
        thin = BrushStroke(points=points, radius=0.0005)
        self.assertLess(len(thin.dabs), 50_000)
        # What a pass leaves is the same, wherever it falls.
        way = 450 * np.hypot(1.0, 3 / GRID) * 2
        across = thin.radius * (2 * 0.5 + 0.5)
        self.assertAlmostEqual(float(thin.dabs[:, 2].sum()), way / across, delta=0.01 * way / across)

    def test_dabs_lie_evenly_and_weigh_a_pass_across_the_line(self):
        dabs = stroke((0.2, 0.4), (0.8, 0.4), hardness=100).dabs
        steps = np.diff(dabs[:, 0])
        np.testing.assert_allclose(steps, steps[0], rtol=1e-6)
        within = np.abs(dabs[:, 0] - 0.5) < 0.05
        self.assertAlmostEqual(float(dabs[within, 2].sum()), 1.0, delta=0.13)

    def test_a_mask_at_half_the_size_is_the_mask_averaged(self):
        strokes = [stroke((0.1, 0.2), (0.6, 0.5), (0.9, 0.3), flow=60, hardness=20)]
        large, small = paint(*strokes, side=800), paint(*strokes, side=400)
        averaged = large.reshape(300, 2, 400, 2).mean((1, 3))
        self.assertLess(float(np.abs(averaged - small).max()), 0.03)

    def test_what_cannot_be_is_refused(self):
        for values in (
            {"points": [1]},
            {"points": [1, 2, 3]},
            {"points": [10**9, 0]},
            {"points": [0, 0] * (MOST_POINTS + 1)},
            {"radius": 0.0},
            {"radius": 3.0},
            {"flow": 0},
            {"limit": float("nan")},
            {"pressure": [1, 2, 3]},
            {"pressure": [256]},
        ):
            with self.subTest(**{k: str(v)[:20] for k, v in values.items()}), self.assertRaises(ValidationError):
                BrushStroke.model_validate({"points": [0, 0], "radius": 0.1} | values)
        with self.assertRaises(ValidationError):
            Brush.model_validate({"strokes": [{"points": [0, 0], "radius": 0.1}] * (MOST_STROKES + 1)})


class Edges(unittest.TestCase):
    """A brush drawn along a step of light, in a scene that is dark on the left and bright on the right."""

    @classmethod
    def setUpClass(cls):
        rng = np.random.default_rng(1)
        rgb = np.full((300, 400, 3), 0.02, np.float32)
        rgb[:, 200:] = (0.2, 0.16, 0.1)
        rgb *= 1 + 0.05 * rng.standard_normal(rgb.shape).astype(np.float32)
        cls.renderer = Renderer(PreparedScene.from_radiance(RadianceMap(rgb, None)))

    def mask(self, *strokes: BrushStroke, window: Window | None = None, **sections) -> np.ndarray:
        parts = [{"kind": "brush", "strokes": [s.model_dump() for s in strokes]}]
        treatment = parse_treatment({"areas": [{"parts": parts, "bends": {"exposure.ev": 1}}]} | sections)
        frame = self.renderer.frame(treatment)
        whole = Window.whole(frame.size)
        return self.renderer.mask(treatment.areas[0], self.renderer.view(treatment, window or whole)) / 65535.0

    def test_it_stops_where_the_light_under_its_middle_ends(self):
        line = ((0.47, 0.2), (0.47, 0.6))
        free = self.mask(stroke(*line, radius=0.08, hardness=90))
        kept = self.mask(stroke(*line, radius=0.08, hardness=90, edges=60))
        row = 160
        self.assertGreater(free[row, 202:210].min(), 0.9)
        self.assertLess(kept[row, 202:210].max(), 0.05)
        self.assertGreater(np.median(kept[row, 170:197]), 0.9)

    def test_a_new_stroke_over_those_that_are_known_is_the_same_as_all_at_once(self):
        one, two = stroke((0.2, 0.2), (0.4, 0.4), edges=40), stroke((0.5, 0.2), (0.8, 0.5), rubs=False, flow=40)
        self.mask(one)
        after = self.mask(one, two)
        self.renderer = Renderer(self.renderer.scene)
        np.testing.assert_array_equal(after, self.mask(one, two))

    def test_it_stays_on_the_scene_in_any_window_and_frame(self):
        strokes = [stroke((0.3, 0.3), (0.7, 0.5), radius=0.06, edges=50, hardness=30)]
        whole = self.mask(*strokes)
        part = self.mask(*strokes, window=Window(80, 60, 160, 120, 160, 120))
        np.testing.assert_allclose(part, whole[60:180, 80:240], atol=2e-3)
        turned = parse_treatment({"level": {"angle": 5.0}, "crop": {"on": False}})
        frame = self.renderer.frame(turned)
        mask = self.mask(*strokes, level={"angle": 5.0}, crop={"on": False})
        for place in ((0.45, 0.37), (0.55, 0.42), (0.6, 0.45), (0.2, 0.2)):
            x, y = frame.of_shares(np.array([place]))[0]
            with self.subTest(place=place):
                there = whole[int(place[1] * 400), int(place[0] * 400)]
                self.assertAlmostEqual(mask[int(y), int(x)], there, delta=0.06)

    def test_rubbing_over_takes_from_all_the_mask_whatever_it_is_made_of(self):
        gone = stroke((0.3, 0.3), (0.6, 0.3), hardness=80, rubs=True)
        back = stroke((0.4, 0.3), (0.45, 0.3), radius=0.02, hardness=80)
        everything = {"kind": "light"}
        masks = {}
        for over in (False, True):
            brush = {"kind": "brush", "strokes": [gone.model_dump(), back.model_dump()], "over": over}
            treatment = parse_treatment({"areas": [{"parts": [everything, brush]}]})
            view = self.renderer.view(treatment, Window.whole(self.renderer.frame(treatment).size))
            masks[over] = self.renderer.mask(treatment.areas[0], view) / 65535.0
        # Of its own strokes alone: the light range keeps all. Of all: what was rubbed out is gone.
        np.testing.assert_allclose(masks[False], 1.0, atol=1e-4)
        self.assertLess(masks[True][120, 220], 0.01)
        self.assertGreater(masks[True][120, 170], 0.99)
        self.assertGreater(masks[True][250, 220], 0.99)

    def test_a_mask_turned_inside_out_is_all_that_it_left_out(self):
        one = stroke((0.3, 0.3), (0.6, 0.3), hardness=30, feather=20)
        part = {"kind": "brush", "strokes": [one.model_dump()]}
        shown = {}
        for invert in (False, True):
            treatment = parse_treatment({"areas": [{"parts": [part], "invert": invert, "opacity": 50}]})
            view = self.renderer.view(treatment, Window.whole(self.renderer.frame(treatment).size))
            shown[invert] = self.renderer.mask(treatment.areas[0], view) / 65535.0
        np.testing.assert_allclose(shown[False] + shown[True], 0.5, atol=1e-4)
        # A brush without strokes holds nothing, and turned inside out everything.
        empty = parse_treatment({"areas": [{"parts": [{"kind": "brush", "strokes": []}], "invert": True}]})
        self.assertEqual(self.renderer.mask(empty.areas[0], view).min(), 65535)

    def test_moving_it_moves_all_that_was_painted(self):
        one = stroke((0.3, 0.3), (0.6, 0.3))
        part = {"kind": "brush", "strokes": [one.model_dump()], "shift": [0.05, 0.1]}
        treatment = parse_treatment({"areas": [{"parts": [part]}]})
        frame = self.renderer.frame(treatment)
        moved = (
            self.renderer.mask(treatment.areas[0], self.renderer.view(treatment, Window.whole(frame.size))) / 65535.0
        )
        np.testing.assert_allclose(moved[40:, 20:], self.mask(one)[:-40, :-20], atol=2e-3)
