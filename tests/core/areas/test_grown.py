"""Regions grown from a place, and what stands out: on surfaces whose borders are known."""

import unittest

import cv2
import numpy as np
from pydantic import ValidationError

from crenn.bench.kinds import disc_on_black
from crenn.core.areas.grown import Grown
from crenn.core.radiance import RadianceMap
from crenn.core.render.pyramid import PreparedScene
from crenn.core.render.renderer import Renderer
from crenn.core.render.window import Window
from crenn.core.treatment import parse_treatment

SIZE = (300, 450)


def wall_and_lake() -> tuple[np.ndarray, np.ndarray]:
    """A rippled lake lit from one side before a wall that is two stops brighter; light (H, W, 3), and the lake."""
    rng = np.random.default_rng(1)
    y, x = np.mgrid[: SIZE[0], : SIZE[1]].astype(np.float32)
    lake = ((x - 225) / 170) ** 2 + ((y - 170) / 90) ** 2 < 1
    ripples = cv2.GaussianBlur(rng.standard_normal(SIZE).astype(np.float32), (0, 0), 1.5)
    stops = np.where(lake, -5 + 1.2 * x / SIZE[1], -3.0) + 0.15 * ripples / ripples.std()
    colour = np.where(lake[..., None], [0.7, 0.9, 1.4], [1.2, 0.95, 0.7])
    return (np.exp2(stops)[..., None] * colour).astype(np.float32), lake


class Regions(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.light, cls.lake = wall_and_lake()
        cls.renderer = Renderer(PreparedScene.from_radiance(RadianceMap(cls.light, cls.light * 0.01)))

    def mask(self, window: Window | None = None, **part) -> np.ndarray:
        treatment = parse_treatment({"areas": [{"parts": [part]}]})
        view = self.renderer.view(treatment, window or Window.whole(SIZE))
        return self.renderer.mask(treatment.areas[0], view) / 65535.0

    def grown(self, *places, **more) -> np.ndarray:
        seeds = [{"place": [x / SIZE[1], y / SIZE[1]], "outside": out} for x, y, out in places]
        return self.mask(kind="grown", seeds=seeds, **more)

    def overlap(self, mask: np.ndarray, truth: np.ndarray) -> float:
        inside = mask > 0.5
        return float((inside & truth).sum() / (inside | truth).sum())

    def test_a_rippled_lake_is_taken_up_to_its_shore_from_any_place_of_it(self):
        for place in ((225, 170), (120, 160), (330, 200)):
            with self.subTest(place=place):
                self.assertGreater(self.overlap(self.grown((*place, False), reach=55), self.lake), 0.9)

    def test_the_more_reach_the_more_is_taken(self):
        shares = [self.grown((225, 170, False), reach=reach).mean() for reach in (0, 20, 40, 60, 100)]
        self.assertTrue((np.diff(shares) >= 0).all(), shares)
        self.assertLess(shares[0], 0.1)
        self.assertGreater(shares[-1], 0.95)

    def test_a_place_kept_out_takes_its_side_away(self):
        whole = self.grown((225, 170, False), reach=100)
        parted = self.grown((225, 170, False), (30, 30, True), reach=100)
        self.assertGreater(whole[30, 30], 0.9)
        self.assertGreater(self.overlap(parted, self.lake), 0.85)

    def test_of_a_rough_outline_what_is_like_its_outside_is_left_out(self):
        # Drawn round the lake it takes in some of the wall.
        places = [(225, 170, False), (120, 160), (330, 200), (60, 80), (400, 260)]
        seeds = [{"place": [p[0] / SIZE[1], p[1] / SIZE[1]], "sure": False} for p in places]
        seeds += [{"place": [x / SIZE[1], y / SIZE[1]], "outside": True} for x, y in ((20, 40), (430, 40), (430, 290))]
        rough = self.mask(kind="grown", seeds=seeds, reach=100)
        sure = self.mask(kind="grown", seeds=[seed | {"sure": True} for seed in seeds], reach=100)
        self.assertGreater(self.overlap(rough, self.lake), 0.85)
        self.assertLess(self.overlap(sure, self.lake), 0.75)

    def test_it_is_the_same_in_a_window(self):
        seeds = [{"place": [0.5, 0.38]}]
        whole = self.mask(kind="grown", seeds=seeds)
        part = self.mask(Window(100, 50, 200, 150, 200, 150), kind="grown", seeds=seeds)
        np.testing.assert_allclose(part, whole[50:200, 100:300], atol=0.02)

    def test_what_cannot_grow_is_refused(self):
        for seeds in ([], [{"place": [0.5, 0.5], "outside": True}], [{"place": [0.5, 99.0]}]):
            with self.assertRaises(ValidationError):
                Grown(seeds=seeds)

    def test_a_bright_disc_is_the_subject_and_an_even_wall_has_none(self):
        light = disc_on_black()
        # A lamp that outshines it is none.
        light[60:64, 700:704] = 30.0
        truth = (light.max(-1) > 2.0**-8) & (light.max(-1) < 10)
        for rgb, share in ((light, truth.mean()), (np.full((200, 300, 3), 0.1, np.float32), 0.0)):
            renderer = Renderer(PreparedScene.from_radiance(RadianceMap(rgb, np.maximum(rgb, 1e-4) * 0.02)))
            treatment = parse_treatment({"areas": [{"parts": [{"kind": "found", "what": "subject"}]}]})
            mask = renderer.mask(treatment.areas[0], renderer.view(treatment, Window.whole(rgb.shape[:2]))) / 65535
            self.assertAlmostEqual(mask.mean(), share, delta=0.1 * share + 1e-6)


if __name__ == "__main__":
    unittest.main()
