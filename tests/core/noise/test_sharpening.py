"""Capture sharpening: gives back what was blurred, no noise, no halo, no colour; and nothing where it is off."""

import unittest

import numpy as np

from crenn.core.colorimetry.spaces import luminance
from crenn.core.noise.deconvolution import LEAST, blurred, deblurred, noise_gain
from crenn.core.noise.sharpening import USUAL
from crenn.core.radiance import RadianceMap
from crenn.core.render.pyramid import PreparedScene
from crenn.core.render.renderer import Renderer
from crenn.core.render.views import paint_view
from crenn.core.render.window import Window
from crenn.core.treatment import Treatment, parse_treatment
from tests.core.report.test_sharpness import grey, panes

NOISE = 0.0005


def decibels(found: np.ndarray, truth: np.ndarray) -> float:
    """How near stops are to those of the truth."""
    return float(-20 * np.log10(np.sqrt(np.mean((np.log2(found) - np.log2(truth)) ** 2))))


class Deblurred(unittest.TestCase):
    def test_it_comes_nearer_to_the_truth(self):
        truth = panes(0.25, 0.0)
        for blur in (0.6, 0.9, 1.3):
            soft = blurred(truth, blur)
            gained = decibels(deblurred(soft, blur), truth) - decibels(soft, truth)
            self.assertGreater(gained, 2.0, f"blur {blur}")

    def test_even_light_stays_as_it_is(self):
        even = np.full((40, 50), 0.3, np.float32)
        np.testing.assert_allclose(deblurred(even, 1.0), even, rtol=1e-5)

    def test_light_is_kept(self):
        soft = blurred(panes(0.25, 0.0), 1.0)
        self.assertAlmostEqual(float(deblurred(soft, 1.0).mean() / soft.mean()), 1.0, delta=0.003)

    def test_strong_edges_get_no_halo(self):
        """Beside an edge of seven stops neither side departs by more than a twentieth of a stop."""
        step = np.where(np.arange(80) < 40, 0.01, 1.28).astype(np.float32)
        soft = blurred(np.tile(step, (24, 1)), 0.8)
        out = np.log2(deblurred(soft, 0.8)[12])
        self.assertLess(np.log2(0.01) - out[:34].min(), 0.05)
        self.assertLess(out[46:].max() - np.log2(1.28), 0.05)
        self.assertGreater(out[41] - out[38], np.log2(soft[12, 41] / soft[12, 38]) + 0.5, "and yet it is steeper")

    def test_what_is_hardly_blurred_is_left(self):
        light = panes(0.5)
        np.testing.assert_array_equal(deblurred(light, LEAST * 0.9), light)

    def test_how_far_noise_is_moved_is_known(self):
        noise = np.exp2(0.02 * np.random.default_rng(8).standard_normal((128, 128))).astype(np.float32)
        for blur in (0.4, 0.7, 1.2):
            moved = np.log2(deblurred(noise, blur) / noise).std() / np.log2(noise).std()
            self.assertAlmostEqual(moved / noise_gain(blur), 1.0, delta=0.1)


class InThePicture(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.truth = panes(0.3, 0.0)
        rng = np.random.default_rng(5)
        soft = blurred(cls.truth, 0.7)
        colours = grey(soft) * np.array([1.0, 0.7, 0.4], np.float32)
        noise = NOISE * rng.standard_normal((*soft.shape, 3))
        cls.light = np.maximum(colours + noise, 1e-5).astype(np.float32)
        cls.sigma = np.full_like(cls.light, NOISE)
        cls.scene = PreparedScene.from_radiance(RadianceMap(cls.light, cls.sigma))
        cls.renderer = Renderer(cls.scene)
        cls.whole = Window.whole(soft.shape, 420)

    def linear(self, window: Window | None = None, areas=(), **sharpening) -> np.ndarray:
        document = Treatment.neutral().model_dump() | {"sharpening": {"on": True} | sharpening, "areas": list(areas)}
        return self.renderer.linear(parse_treatment(document), window or self.whole)

    def test_at_nothing_the_light_is_untouched(self):
        np.testing.assert_array_equal(self.linear(amount=0), self.light)
        np.testing.assert_array_equal(self.linear(amount=100, on=False), self.light)

    def test_a_wider_one_stretches_what_is_wider_and_draws_no_rim(self):
        x = np.arange(600)
        waves = np.exp2(-4 + 0.1 * np.sin(2 * np.pi * x / 30))
        edge = np.where(x < 300, 2.0**-8, 2.0**-1)
        for plane, check in ((waves, "stretched"), (edge, "rim")):
            rgb = np.repeat(np.repeat(plane[None, :, None], 200, 0), 3, 2).astype(np.float32)
            renderer = Renderer(PreparedScene.from_radiance(RadianceMap(rgb, None)))
            document = Treatment.neutral().model_dump() | {"sharpening": {"on": True, "wide": 100, "wide_radius": 12}}
            shown = np.log2(renderer.linear(parse_treatment(document), Window.whole((200, 600)))[100, :, 1] / plane)
            with self.subTest(check):
                if check == "stretched":
                    self.assertGreater(shown[100:500].std(), 0.5 * np.log2(waves).std())
                else:
                    self.assertLess(np.abs(shown).max(), 0.21)

    def test_the_radius_is_what_was_measured(self):
        measured = self.scene.report["blur"]
        self.assertAlmostEqual(measured, np.sqrt(0.7**2 + 0.3**2 + 1 / 12), delta=0.12)
        np.testing.assert_array_equal(self.linear(amount=100), self.linear(amount=100, radius=measured))

    def test_a_scene_that_tells_none_takes_the_usual(self):
        report = {name: value for name, value in self.scene.report.items() if name != "blur"}
        scene = PreparedScene([self.scene.read(0)], {"sigma": self.sigma}, report)
        document = Treatment.neutral().model_dump() | {"sharpening": {"on": True, "amount": 100}}
        found = Renderer(scene).linear(parse_treatment(document), self.whole)
        np.testing.assert_array_equal(found, self.linear(amount=100, radius=USUAL))

    def test_it_is_nearer_to_the_truth(self):
        truth = self.truth * float(luminance(np.array([1.0, 0.7, 0.4])))
        before, after = (decibels(luminance(self.linear(amount=a)), truth) for a in (0, 100))
        self.assertGreater(after, before + 1.0)

    def test_colours_stay(self):
        before, after = self.light, self.linear(amount=100)
        np.testing.assert_allclose(after[..., 0] / after[..., 2], before[..., 0] / before[..., 2], rtol=2e-4)

    def test_even_ground_gets_no_noise(self):
        flat = np.full((200, 200, 3), 0.02, np.float32)
        sigma = np.full_like(flat, 0.001)
        flat = flat + sigma * np.random.default_rng(3).standard_normal(flat.shape).astype(np.float32)
        scene = PreparedScene.from_radiance(RadianceMap(flat, sigma))
        document = Treatment.neutral().model_dump() | {"sharpening": {"on": True, "amount": 150, "radius": 0.8}}
        window = Window.whole(flat.shape[:2], 200)
        found = Renderer(scene).linear(parse_treatment(document), window)
        self.assertLess(luminance(found).std() / luminance(flat).std(), 1.03)
        document["sharpening"]["least"] = 0
        all_of_it = Renderer(scene).linear(parse_treatment(document), window)
        self.assertGreater(luminance(all_of_it).std() / luminance(flat).std(), 1.5)

    def test_stars_are_left(self):
        y, x = np.mgrid[:160, :160]
        star = np.exp(-((y - 80) ** 2 + (x - 80) ** 2) / (2 * 0.9**2))
        light = grey((0.01 + 0.5 * star).astype(np.float32))
        scene = PreparedScene.from_radiance(RadianceMap(light, np.full_like(light, 2e-4)))

        def peak(stars: bool) -> float:
            step = {"on": True, "amount": 100, "radius": 0.9, "stars": stars}
            document = Treatment.neutral().model_dump() | {"sharpening": step}
            return float(Renderer(scene).linear(parse_treatment(document), Window.whole((160, 160), 160)).max())

        self.assertAlmostEqual(peak(True), float(light.max()), delta=0.01)
        self.assertGreater(peak(False), 1.1 * float(light.max()))

    def test_a_window_is_as_in_the_whole(self):
        whole = self.linear(amount=100)
        part = self.linear(Window(133, 71, 150, 120, 150, 120), amount=100)
        np.testing.assert_allclose(part, whole[71:191, 133:283], rtol=2e-4)

    def test_an_area_bends_it(self):
        half = {
            "name": "Left",
            "parts": [{"kind": "gradient", "start": [0.45, 0.5], "end": [0.55, 0.5]}],
            "bends": {"sharpening.amount": 100},
        }
        found = self.linear(amount=0, areas=[half])
        changed = np.abs(found - self.light).max(-1) > 1e-6
        self.assertTrue(changed[:, :170].mean() > 0.05 or changed[:, 250:].mean() > 0.05)
        self.assertEqual(min(changed[:, :170].mean(), changed[:, 250:].mean()), 0.0)

    def test_the_mask_shows_edges(self):
        codes, _ = paint_view(self.renderer, parse_treatment({"noise": {"on": False}}), self.whole, "edges")
        steep = np.hypot(*np.gradient(np.log2(self.truth)))
        self.assertGreater(np.median(codes[steep > 0.5]), 180)
        self.assertLess(np.median(codes[steep == 0]), 110)

    def test_a_reduced_view_is_what_the_full_picture_comes_to(self):
        full = self.linear(amount=100)
        for side, factor in ((210, 2), (140, 3), (70, 6)):
            mean = luminance(full.reshape(side, factor, side, factor, 3).mean((1, 3)))
            reduced, before = (luminance(self.linear(Window(0, 0, 420, 420, side, side), amount=a)) for a in (100, 0))
            departs, without = (np.abs(np.log2(light / mean)) for light in (reduced, before))
            self.assertLess(departs.mean(), 0.008)
            self.assertLess(np.quantile(departs, 0.99), 0.12)
            if factor < 5:
                self.assertLess(departs.mean(), 0.7 * without.mean())
