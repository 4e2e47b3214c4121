"""White balances found in a picture."""

import unittest

import numpy as np

from crenn.core.colorimetry.white import balance_matrix
from crenn.core.light.found_white import automatic_white, dull_white, white_in_patch, white_of_picture
from crenn.core.light.white_balance import WhiteBalanceParameters
from crenn.core.radiance import RadianceMap
from crenn.core.render.pyramid import PreparedScene
from crenn.core.render.renderer import Renderer
from crenn.core.render.window import Window
from crenn.core.treatment import Treatment, parse_treatment

SHOT = (5500.0, 0.0)


def seen(colours: np.ndarray, light: tuple[float, float]) -> np.ndarray:
    """Grey-balanced colours as they are recorded as shot, under a light."""
    return (colours @ np.linalg.inv(balance_matrix(light, SHOT)).T).astype(np.float32)


def stones(seed: int = 1, spread: float = 0.08) -> np.ndarray:
    """Dull colours around grey, over five stops, float64 (120, 180, 3)."""
    random = np.random.default_rng(seed)
    light = np.exp2(random.uniform(-8, -3, (120, 180, 1)))
    return light * np.exp2(random.normal(0, spread, (120, 180, 3)))


class Patches(unittest.TestCase):
    def test_the_light_on_a_grey_patch_is_found(self):
        for light in ((2800.0, 0.0), (4300.0, 8.0), (9000.0, -5.0)):
            with self.subTest(light=light):
                found = white_in_patch(seen(stones(spread=0.0)[:20, :20], light), SHOT)
                self.assertAlmostEqual(1e6 / found.temperature, 1e6 / light[0], delta=1.5)
                self.assertAlmostEqual(found.tint, light[1], delta=0.6)
                self.assertLess(found.spread, 0.5)

    def test_an_uneven_patch_says_so(self):
        patch = np.full((16, 16, 3), 0.1)
        two = np.concatenate([seen(patch, (3000.0, 0.0)), seen(patch, (8000.0, 0.0))], 1)
        self.assertGreater(white_in_patch(two, SHOT).spread, 50)

    def test_one_pixel_has_no_spread(self):
        self.assertIsNone(white_in_patch(np.full((1, 1, 3), 0.1, np.float32), SHOT).spread)

    def test_what_no_white_light_explains_is_carried_on_as_gains(self):
        # Light beyond red, as a camera without its filter sees it, and a lamp of one line.
        for colour in ((0.8, 0.1, 0.09), (0.05, 0.3, 0.02), (0.1, 0.1, 3.0)):
            with self.subTest(colour=colour):
                patch = np.full((8, 8, 3), colour, np.float32)
                found = white_in_patch(patch, SHOT)
                WhiteBalanceParameters(**{n: getattr(found, n) for n in ("temperature", "tint", "red", "blue")})
                self.assertGreater(max(abs(found.red), abs(found.blue)), 0.1)
                self.assertEqual(found.short, 0.0)
                scene = PreparedScene.from_radiance(RadianceMap(patch, None, report={"as_shot": SHOT}))
                section = {"temperature": found.temperature, "tint": found.tint, "red": found.red, "blue": found.blue}
                document = Treatment.neutral().model_dump() | {"white_balance": section}
                shown = Renderer(scene).linear(parse_treatment(document), Window.whole((8, 8)))[4, 4]
                self.assertLess(float(np.ptp(shown) / shown.mean()), 0.01)

    def test_a_patch_beyond_all_gains_says_by_how_much(self):
        found = white_in_patch(np.full((4, 4, 3), (1.0, 1e-4, 1e-4), np.float32), SHOT)
        self.assertGreater(found.short, 0.1)

    def test_black_is_refused(self):
        with self.assertRaisesRegex(ValueError, "dark"):
            white_in_patch(np.zeros((4, 4, 3), np.float32), SHOT)


class Pictures(unittest.TestCase):
    def test_the_light_on_dull_colours_is_found(self):
        for light in ((3400.0, 0.0), (5500.0, 0.0), (7500.0, 4.0)):
            rgb = seen(stones(), light)
            for find in (white_of_picture, dull_white):
                with self.subTest(light=light, by=find.__name__):
                    found = find(rgb, SHOT)
                    self.assertAlmostEqual(1e6 / found.temperature, 1e6 / light[0], delta=8)
                    self.assertAlmostEqual(found.tint, light[1], delta=2)

    def test_a_strong_colour_takes_the_mean_and_not_the_dull(self):
        rgb = seen(stones(), (4500.0, 0.0))
        rgb[:, :90] *= np.array([0.35, 1.0, 0.6], np.float32)
        self.assertGreater(white_of_picture(rgb, SHOT).tint, 15)
        self.assertAlmostEqual(dull_white(rgb, SHOT).tint, 0.0, delta=4)

    def test_lamps_and_noise_have_no_say(self):
        rgb = seen(stones(), (4500.0, 0.0))
        rgb[:30] = [8.0, 2.0, 0.2]
        rgb[90:] = [1e-5, 1e-6, 3e-5]
        for find in (white_of_picture, dull_white):
            found = find(rgb, SHOT, 1e-4, 0.5)
            self.assertAlmostEqual(1e6 / found.temperature, 1e6 / 4500, delta=8)

    def test_the_automatic_keeps_blue_blue_and_warm_warm(self):
        """Blue hour: hardly any of the way. Lamps: most of it, and not all."""
        blue = automatic_white(seen(stones(), (12000.0, 0.0)), SHOT)
        self.assertLess(blue.temperature, 6500)
        self.assertGreater(blue.temperature, 5500)
        warm = automatic_white(seen(stones(), (2900.0, 0.0)), SHOT)
        self.assertLess(warm.temperature, 4000)
        self.assertGreater(warm.temperature, 3050)
        self.assertAlmostEqual(automatic_white(seen(stones(), SHOT), SHOT).temperature, 5500, delta=120)

    def test_a_picture_that_says_nothing_is_refused(self):
        for find in (white_of_picture, dull_white, automatic_white):
            with self.assertRaisesRegex(ValueError, "bright enough"):
                find(np.zeros((20, 20, 3), np.float32), SHOT)

    def test_a_colour_of_no_light_leaves_the_way_to_white_as_shot(self):
        rgb = stones().astype(np.float32) * np.array([0.02, 1.0, 0.05], np.float32)
        found = white_of_picture(rgb, SHOT)
        self.assertTrue(1800 <= found.temperature <= 20000)
        self.assertLessEqual(abs(found.tint), 60)
