"""Dust of the simulated sensor, whose places are known."""

import unittest

import cv2
import numpy as np

from crenn.camera.flaws import Flaws
from crenn.core.basis import PlaceMap
from crenn.core.mend.dust import find_dust
from crenn.core.radiance import RadianceMap
from crenn.core.render.dust import dust_patches
from crenn.core.render.pyramid import PreparedScene
from crenn.core.render.renderer import Renderer
from crenn.core.render.views import paint_view
from crenn.core.render.window import Window
from crenn.core.treatment import Treatment, parse_treatment

SIZE = (600, 900)


def sky(serial: int, dust: float = 2.0) -> tuple[np.ndarray, np.ndarray]:
    """A noisy sky above a rough ground through dust, float32 (H, W, 3), and what that takes, EV (H, W)."""
    rng = np.random.default_rng(serial)
    y, x = np.mgrid[: SIZE[0], : SIZE[1]].astype(np.float32)
    light = 0.3 + 0.3 * y / SIZE[0] + 0.1 * x / SIZE[1]
    rough = np.exp2(cv2.GaussianBlur(rng.normal(0, 12, SIZE).astype(np.float32), (0, 0), 4))
    light = np.where(y > 420, 0.1 * rough, light)
    through = Flaws(dust=dust).transmission(SIZE, 8.0, serial)
    noise = 1 + 0.015 * rng.standard_normal((*SIZE, 3))
    return ((light * through)[..., None] * noise).astype(np.float32), -np.log2(through)


class Dusty(unittest.TestCase):
    def test_grains_over_the_sky_are_found_and_nothing_else(self):
        grains = found = right = 0
        for serial in range(6):
            light, takes = sky(serial)
            spots = find_dust(light, 1e-3)
            deep = (takes > 0.06).astype(np.uint8)
            deep[400:] = 0
            count, names, stats, _ = cv2.connectedComponentsWithStats(deep)
            inside = [
                i
                for i in range(1, count)
                if stats[i, 0] > 25 and stats[i, 0] + stats[i, 2] < SIZE[1] - 25 and 25 < stats[i, 1] < 360
            ]
            told = {
                int(names[round(s.y * SIZE[1] - 0.5), round(s.x * SIZE[1] - 0.5)]) for s in spots if s.y * 900 < 400
            }
            grains, right = grains + len(inside), right + len(told & set(inside))
            found += sum(takes[round(s.y * 900 - 0.5), round(s.x * 900 - 0.5)] < 0.02 for s in spots)
        self.assertGreater(grains, 20)
        self.assertGreaterEqual(right, 0.9 * grains)
        self.assertLessEqual(found, 0.1 * right)

    def test_scenes_on_one_sensor_tell_together(self):
        light, takes = sky(1)
        scene = PreparedScene.from_radiance(RadianceMap(light, None))
        # The same sensor before a texture, framed otherwise.
        shift = 90
        rng = np.random.default_rng(9)
        rough = np.exp2(cv2.GaussianBlur(rng.normal(0, 1.5, SIZE).astype(np.float32), (0, 0), 6))
        other = (0.2 * rough * np.exp2(-np.roll(takes, shift, 1)))[..., None].repeat(3, -1)
        second = PreparedScene.from_radiance(RadianceMap(other.astype(np.float32), None))
        by = PlaceMap(np.array([[1, 0, -shift / SIZE[1]], [0, 1, 0], [0, 0, 1.0]]))

        def taken(patches) -> tuple[int, int]:
            """How many patches lie where dust takes light, and how many where it takes none."""
            depths = [
                takes[round(y * 900 / 16384 - 0.5), round(x * 900 / 16384 - 0.5)]
                for x, y in (p.points for p in patches)
            ]
            return sum(d > 0.02 for d in depths), sum(d <= 0.005 for d in depths)

        alone, together = taken(dust_patches(scene)), taken(dust_patches(scene, [(second, by)]))
        self.assertGreaterEqual(together[0], alone[0])
        self.assertEqual(together[1], 0)

    def test_a_clean_sky_has_none(self):
        self.assertEqual(find_dust(sky(3, 0.0)[0][:400], 1e-3), [])
        self.assertEqual(find_dust(np.zeros((60, 80, 3), np.float32), 1e-3), [])

    def test_what_is_found_mends_it_and_the_view_shows_it(self):
        light, takes = sky(1)
        scene = PreparedScene.from_radiance(RadianceMap(light, None))
        patches = [p.model_dump() for p in dust_patches(scene)]
        self.assertTrue(patches)
        treatment = parse_treatment(Treatment.neutral().model_dump() | {"mend": [{"patches": patches}]})
        renderer, window = Renderer(scene), Window.whole(SIZE)
        after = renderer.linear(treatment, window)
        clean = light * np.exp2(takes)[..., None]
        shaded = np.zeros(SIZE, bool)
        for one in patches:
            x, y = (round(v / 16384 * 900) for v in one["points"])
            shaded[y - 2 : y + 3, x - 2 : x + 3] = True
        before, now = (np.abs(np.log2(v[shaded] / clean[shaded]).mean(-1)).mean() for v in (light, after))
        self.assertLess(now, 0.35 * before)
        codes, _ = paint_view(renderer, Treatment.neutral(), window, "dust")
        np.testing.assert_array_equal(codes[..., 0], codes[..., 2])
        self.assertLess(codes[shaded].mean(), codes[:380].mean() - 15)
