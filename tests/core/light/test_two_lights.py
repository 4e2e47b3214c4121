"""Two lights of a scene: found, told apart by place, and each balanced for."""

import unittest

import cv2
import numpy as np

from crenn.core.colorimetry.white import balance_matrix
from crenn.core.light.two_lights import two_lights
from crenn.core.radiance import RadianceMap
from crenn.core.render.pyramid import PreparedScene
from crenn.core.render.renderer import Renderer
from crenn.core.render.views import paint_view
from crenn.core.render.window import Window
from crenn.core.treatment import WHITE_BALANCE, Treatment, parse_treatment

SHOT = (5200.0, 0.0)
LAMP, SKY = (2900.0, 0.0), (9500.0, 0.0)
SIZE = (200, 300)


def street(lamp=LAMP, sky=SKY) -> tuple[np.ndarray, np.ndarray]:
    """Dull walls, the right ones lit by lamps and the left by the sky; as recorded, and in white light."""
    rng = np.random.default_rng(4)
    walls = np.exp2(rng.uniform(-5, -3, (10, 15, 1)) + rng.normal(0, 0.12, (10, 15, 3)))
    walls = np.kron(walls, np.ones((20, 20, 1)))
    x = np.arange(SIZE[1])[None, :, None]
    share = 1 / (1 + np.exp(-(x - 150) / 8.0))
    recorded = sum(w * walls @ np.linalg.inv(balance_matrix(v, SHOT)).T for w, v in ((share, lamp), (1 - share, sky)))
    return recorded.astype(np.float32), walls


def scene() -> Renderer:
    recorded, _ = street()
    return Renderer(PreparedScene.from_radiance(RadianceMap(recorded, recorded * 0.01, report={"as_shot": SHOT})))


def neutral(**white) -> Treatment:
    return parse_treatment(Treatment.neutral().model_dump() | {"white_balance": white})


BOTH = {"temperature": LAMP[0], "tint": LAMP[1], "second_temperature": SKY[0], "second_tint": SKY[1]}


def cast(light: np.ndarray, walls: np.ndarray, part) -> float:
    """By how many stops red over blue departs from that of the walls in white light, in a part of the picture."""
    found, true = (np.log2(v[part][..., 0] / v[part][..., 2]) for v in (light, walls))
    return float(np.median(found - true))


LEFT, RIGHT = np.s_[20:-20, 20:90], np.s_[20:-20, 210:280]


class Found(unittest.TestCase):
    def test_both_are_found(self):
        lights = two_lights(street()[0], SHOT)
        kelvins = sorted([lights.first.temperature, lights.second.temperature])
        self.assertAlmostEqual(1e6 / kelvins[0], 1e6 / LAMP[0], delta=25)
        self.assertAlmostEqual(1e6 / kelvins[1], 1e6 / SKY[0], delta=25)
        self.assertAlmostEqual(lights.share, 0.5, delta=0.1)

    def test_one_light_is_one(self):
        for lamp in (LAMP, SKY):
            with self.assertRaisesRegex(ValueError, "One light"):
                two_lights(street(lamp, lamp)[0], SHOT)

    def test_black_tells_nothing(self):
        with self.assertRaisesRegex(ValueError, "bright enough"):
            two_lights(np.zeros((*SIZE, 3), np.float32), SHOT)


class Balanced(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.renderer, (_, cls.walls) = scene(), street()

    def linear(self, **white) -> np.ndarray:
        return self.renderer.linear(neutral(**white), Window.whole(SIZE))

    def test_one_white_cannot_balance_both(self):
        light = self.linear(**BOTH, between=50)
        self.assertGreater(cast(light, self.walls, RIGHT) - cast(light, self.walls, LEFT), 1.0)

    def test_each_place_its_own(self):
        for between in (0, 50, 100):
            light = self.linear(**BOTH, between=between, own=100)
            for part in (LEFT, RIGHT):
                self.assertLess(abs(cast(light, self.walls, part)), 0.12, f"{between}")

    def test_half_way_is_half_way(self):
        casts = [
            cast(light, self.walls, RIGHT) - cast(light, self.walls, LEFT)
            for light in (self.linear(**BOTH, own=own) for own in (0, 50, 100))
        ]
        self.assertAlmostEqual(casts[1], (casts[0] + casts[2]) / 2, delta=0.1)

    def test_luminance_stays(self):
        plain, own = (self.linear(**BOTH, own=v) @ np.array([0.2627, 0.678, 0.0593]) for v in (0, 100))
        np.testing.assert_allclose(own, plain, rtol=0.02)

    def test_a_reduced_view_shows_the_same(self):
        whole = cv2.resize(self.linear(**BOTH, own=100), (150, 100), interpolation=cv2.INTER_AREA)
        small = self.renderer.linear(neutral(**BOTH, own=100), Window.whole(SIZE, 150))
        self.assertLess(float(np.abs(np.log2(small / whole)).mean()), 0.03)

    def test_the_view_shows_which_place_has_which(self):
        codes, _ = paint_view(self.renderer, neutral(**BOTH), Window.whole(SIZE), "lights")
        for part, channel in ((LEFT, 2), (RIGHT, 0)):
            inside = codes[part].reshape(-1, 3).mean(0)
            self.assertEqual(int(inside.argmax()), channel)
        self.assertIsNone(WHITE_BALANCE.share(neutral(temperature=4000).white_balance, self.renderer.scene.light))


if __name__ == "__main__":
    unittest.main()
