"""Windows: which place of the scene each pixel of a view shows, and how it is averaged.

The scene tells its own coordinates: red is the column, green the row, of a pixel's centre.
"""

import unittest

import cv2
import numpy as np

from crenn.core.colorimetry.spaces import delta_e2000, srgb_decode, srgb_encode, srgb_to_lab
from crenn.core.deliver.bands import code_bands
from crenn.core.errors import CrennError
from crenn.core.progress import Progress
from crenn.core.radiance import RadianceMap
from crenn.core.render.colour_analysis import distribution, range_mask
from crenn.core.render.pyramid import PreparedScene
from crenn.core.render.renderer import Renderer
from crenn.core.render.window import Window
from crenn.core.treatment import Treatment, parse_treatment
from tests.support import night

HEIGHT, WIDTH = 900, 1402


def renderer(rgb, sigma=None) -> Renderer:
    return Renderer(PreparedScene.from_radiance(RadianceMap(rgb.astype(np.float32), sigma)))


def codes(r: Renderer, document=None, window=None, bits=16, **more):
    return r.picture(parse_treatment(document or {}), window or Window.whole(r.scene.size), bits, **more)[0]


class Places(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        y, x = np.mgrid[:HEIGHT, :WIDTH].astype(np.float32)
        cls.scene = PreparedScene.from_radiance(RadianceMap(np.stack([x + 0.5, y + 0.5, 0 * x + 1], -1), None))
        cls.renderer = Renderer(cls.scene)

    def seen(self, window: Window) -> tuple[np.ndarray, np.ndarray]:
        """Columns and rows that a window's pixels show."""
        light = self.renderer.linear(Treatment.neutral(), window)
        self.assertEqual(light.shape, (window.out_height, window.out_width, 3))
        return light[..., 0], light[..., 1]

    def meant(self, window: Window) -> tuple[np.ndarray, np.ndarray]:
        x = window.x + (np.arange(window.out_width) + 0.5) * window.width / window.out_width
        y = window.y + (np.arange(window.out_height) + 0.5) * window.height / window.out_height
        return np.clip(x, 0.5, WIDTH - 0.5)[None, :], np.clip(y, 0.5, HEIGHT - 0.5)[:, None]

    def farthest(self, window: Window, margin: int = 0) -> float:
        """The farthest that a pixel's place is from what is meant, in full-size pixels."""
        inside = np.s_[margin : window.out_height - margin, margin : window.out_width - margin]
        return max(np.abs(s - m)[inside].max() for s, m in zip(self.seen(window), self.meant(window)))

    def test_at_every_size_up_to_one_pixel_each_the_place_is_right_to_a_tenth(self):
        for window in (
            Window(0, 0, WIDTH, HEIGHT, WIDTH, HEIGHT),
            Window(211, 97, 640, 400, 640, 400),
            Window(210.4, 97.7, 640, 400, 640, 400),
            Window(200, 100, 640, 400, 500, 320),
            Window(203.3, 101.9, 640, 400, 333, 222),
            Window(0, 0, WIDTH, HEIGHT, 701, 450),
            Window(37, 51, 1200, 800, 150, 100),
            Window(300, 200, 200, 150, 260, 190),
        ):
            with self.subTest(window=window):
                self.assertLess(self.farthest(window, 2), 0.1 / window.scale)

    def test_enlarged_each_pixel_is_a_square_of_its_own(self):
        window = Window(700, 450, 40, 30, 160, 120)
        columns, rows = self.seen(window)
        np.testing.assert_array_equal(columns, np.broadcast_to(np.repeat(np.arange(700.5, 740), 4), columns.shape))
        np.testing.assert_array_equal(rows, np.broadcast_to(np.repeat(np.arange(450.5, 480), 4)[:, None], rows.shape))
        self.assertLessEqual(self.farthest(Window(700.3, 450.6, 40, 30, 173, 131)), 0.5 + 1e-3)

    def test_beyond_the_edge_the_outermost_pixels_go_on(self):
        for window in (
            Window(WIDTH - 20, HEIGHT - 20, 100, 100, 100, 100),
            Window(-30, -10, 100, 80, 100, 80),
            Window(-50, -50, WIDTH + 100, HEIGHT + 100, 751, 500),
        ):
            with self.subTest(window=window):
                self.assertLessEqual(self.farthest(window), 1.01 / window.scale)

    def test_one_pixel_of_all_is_the_mean_of_all(self):
        columns, rows = self.seen(Window(0, 0, WIDTH, HEIGHT, 1, 1))
        self.assertAlmostEqual(float(columns[0, 0]), WIDTH / 2, delta=1.0)
        self.assertAlmostEqual(float(rows[0, 0]), HEIGHT / 2, delta=1.0)

    def test_windows_that_cannot_be(self):
        for values in ((0, 0, 0, 5, 5, 5), (0, 0, -1, 5, 5, 5), (np.nan, 0, 5, 5, 5, 5), (0, 1e9, 5, 5, 5, 5)):
            with self.subTest(values=values), self.assertRaisesRegex(CrennError, "cannot be"):
                Window(*values)
        with self.assertRaisesRegex(CrennError, "at least one pixel"):
            Window(0, 0, 5, 5, 0, 5)

    def test_only_what_touches_the_picture_overlaps_it(self):
        size = (HEIGHT, WIDTH)
        self.assertTrue(Window(-99, 0, 100, 5, 5, 5).overlaps(size))
        for window in (Window(-100, 0, 100, 5, 5, 5), Window(0, HEIGHT, 5, 5, 5, 5), Window(WIDTH, 0, 5, 5, 5, 5)):
            self.assertFalse(window.overlaps(size), window)


class Consistency(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.rgb = night(640, 960)
        cls.renderer = renderer(cls.rgb, cls.rgb * 0.01)

    def test_a_window_is_the_same_as_its_part_of_the_whole(self):
        whole = codes(self.renderer).astype(int)
        part = codes(self.renderer, window=Window(200, 300, 320, 200, 320, 200)).astype(int)
        self.assertLess(np.abs(whole[300:500, 200:520] - part).max(), 8)

    def test_the_preview_equals_the_reduced_full_render(self):
        full = codes(self.renderer).astype(np.float32) / 65535
        reduced = cv2.resize(full, (480, 320), interpolation=cv2.INTER_AREA)
        preview = codes(self.renderer, window=Window.whole((640, 960), 480)) / 65535
        difference = delta_e2000(srgb_to_lab(reduced), srgb_to_lab(preview))
        self.assertLess(difference.mean(), 0.5)

    def test_a_zoomed_window_lies_over_the_whole_picture_exactly(self):
        # Correlation tells a shift far below a pixel, where the tones themselves would hide it.
        whole = cv2.resize(codes(self.renderer).astype(np.float32), (720, 480), interpolation=cv2.INTER_AREA)
        part = codes(self.renderer, window=Window(240, 120, 480, 320, 360, 240)).astype(np.float32)
        (dx, dy), _ = cv2.phaseCorrelate(
            whole[90:330, 180:540, 1], part[..., 1], cv2.createHanningWindow((360, 240), cv2.CV_32F)
        )
        self.assertLess(np.hypot(dx, dy), 0.15)

    def test_oversampling_averages_the_light_of_the_picture_and_not_that_of_the_scene(self):
        window = Window.whole((640, 960), 240)

        def averaged(found: np.ndarray) -> np.ndarray:
            light = srgb_decode(found / 65535).astype(np.float32)
            return srgb_encode(cv2.resize(light, (240, 160), interpolation=cv2.INTER_AREA)) * 65535

        larger = codes(self.renderer, window=Window.whole((640, 960), 480))
        np.testing.assert_allclose(
            codes(self.renderer, window=window, oversample=2), averaged(larger), atol=3, rtol=2e-4
        )
        full = averaged(codes(self.renderer))

        def departure(oversample: int) -> float:
            shown = codes(self.renderer, window=window, oversample=oversample)
            return float(np.abs(shown.astype(float) - full).mean())

        self.assertLess(departure(4), 0.5 * departure(1))

    def test_oversampling_keeps_the_limits_of_what_is_small(self):
        rgb = np.full((256, 384, 3), 0.02, np.float32)
        rgb[100, 200] = 3.0
        small = Window.whole((256, 384), 96)
        document = parse_treatment({"exposure": {"ev": 0}, "ends": {"white": 0}})
        _, limits = renderer(rgb).picture(document, small, oversample=4)
        self.assertEqual(np.argwhere(limits & 7 == 7).tolist(), [[25, 50]])

    def test_more_pixels_than_the_picture_has_are_not_made_up(self):
        window = Window(100, 100, 200, 150, 200, 150)
        np.testing.assert_array_equal(
            codes(self.renderer, window=window, oversample=8), codes(self.renderer, window=window)
        )


class Reduced(unittest.TestCase):
    """What is made smaller keeps its light: stars and lamps do not fade."""

    def setUp(self):
        rgb = np.zeros((64, 96, 3), np.float32) + 2.0**-20
        rgb[1::2, 1::2] = 8.0
        self.renderer = renderer(rgb)
        self.treatment = Treatment.neutral()

    def test_one_white_pixel_among_three_black_ones_gives_a_quarter_of_the_light(self):
        found, _ = self.renderer.picture(self.treatment, Window.whole((64, 96), 48), 16, oversample=2)
        np.testing.assert_allclose(srgb_decode(found / 65535.0), 0.25, atol=2e-3)
        eight, _ = self.renderer.picture(self.treatment, Window.whole((64, 96), 48), 8, oversample=2)
        self.assertAlmostEqual(float(srgb_decode(eight / 255.0).mean()), 0.25, delta=2e-3)

    def test_so_does_a_reduced_delivery(self):
        bands = list(code_bands(self.renderer, self.treatment, (48, 32), Progress()))
        found = np.concatenate(bands)
        self.assertEqual(found.dtype, np.uint16)
        np.testing.assert_allclose(srgb_decode(found / 65535.0), 0.25, atol=2e-3)


class ColdAndWarm(unittest.TestCase):
    """A picture does not depend on what was asked for before it."""

    def test_other_questions_change_nothing(self):
        rgb = night(160, 240)
        sigma = (0.02 * np.sqrt(rgb + 1e-4)).astype(np.float32)
        treatment = parse_treatment(
            {
                "placement": {"shadows": 2.0},
                "hues": {"ranges": [{"name": "A", "hue": 60, "shift": 20}]},
                "areas": [{"parts": [{"kind": "found", "what": "sky"}], "bends": {"exposure.ev": 1}}],
            }
        )
        window = Window(20, 20, 160, 120, 160, 120)

        def ask(warm: Renderer, what: str):
            if what == "linear":
                return warm.linear(treatment, window)
            if what == "distribution":
                return distribution(warm, treatment)
            if what == "range":
                return range_mask(warm, treatment, "A", window)
            return warm.picture(treatment, window)[0]

        def fresh() -> Renderer:
            out = renderer(rgb, sigma)
            out.scene.split_noise()
            return out

        questions = ("picture", "linear", "distribution", "range")
        cold = {what: ask(fresh(), what) for what in questions}
        warm = fresh()
        for what in (*questions[::-1], *questions):
            with self.subTest(what=what):
                np.testing.assert_array_equal(ask(warm, what), cold[what])

    def test_a_range_of_hues_knows_when_noise_was_split_off(self):
        rgb = night(120, 180)
        rng = np.random.default_rng(1)
        noisy = (rgb * (1 + 0.3 * rng.standard_normal(rgb.shape))).astype(np.float32)
        treatment = parse_treatment({"hues": {"ranges": [{"name": "A", "hue": 60, "width": 60, "shift": 20}]}})
        found = renderer(noisy, 0.3 * rgb)
        window = Window.whole((120, 180))
        before = range_mask(found, treatment, "A", window)
        found.scene.split_noise()
        after = range_mask(found, treatment, "A", window)
        cold = renderer(noisy, 0.3 * rgb)
        cold.scene.split_noise()
        self.assertFalse(np.array_equal(before, after))
        np.testing.assert_array_equal(after, range_mask(cold, treatment, "A", window))
