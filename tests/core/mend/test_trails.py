"""Passing lights in a made-up sky of stars, and meteors beside them."""

import unittest

import numpy as np

from crenn.core.mend.trails import find_trails
from crenn.core.radiance import RadianceMap
from crenn.core.render.passing import passing_lights
from crenn.core.render.pyramid import PreparedScene
from crenn.core.render.renderer import Renderer
from crenn.core.treatment import MendLayer, Treatment

SIZE = (640, 960)
SKY = 0.02


def stars(rng: np.random.Generator) -> np.ndarray:
    """A dark sky full of stars over darker ground with a mast, float32 (H, W)."""
    out = np.full(SIZE, SKY, np.float32)
    for y, x, light in zip(rng.uniform(2, 456, 500), rng.uniform(2, 957, 500), rng.pareto(1.2, 500) * 0.01):
        rows, columns = np.mgrid[int(y) - 2 : int(y) + 3, int(x) - 2 : int(x) + 3]
        there = out[rows[0, 0] : rows[-1, 0] + 1, columns[0, 0] : columns[0, -1] + 1]
        there += min(light, 4.0) * np.exp(-((rows - y) ** 2 + (columns - x) ** 2) / 1.3)
    out[460:] = 0.002 + 0.004 * rng.random((180, 960))
    out[430:462, 700:702] = 0.002
    return out


def trail(start: tuple[float, float], end: tuple[float, float], light) -> np.ndarray:
    """Light along a line from x, y to x, y, by its share of the way and pixels, float (H, W)."""
    a, b = np.array(start), np.array(end)
    length = float(np.hypot(*(b - a)))
    y, x = np.mgrid[: SIZE[0], : SIZE[1]]
    along = ((x - a[0]) * (b - a)[0] + (y - a[1]) * (b - a)[1]) / length
    off = ((x - a[0]) * (b - a)[1] - (y - a[1]) * (b - a)[0]) / length
    inside = (along >= 0) & (along <= length)
    return np.where(inside, np.exp(-(off**2) / 2) * light(np.clip(along / length, 0, 1), along), 0)


#: Each with its ends and whether it is a meteor.
TRAILS = (
    ((80.0, 60.0), (420.0, 180.0), False, lambda share, px: 0.35 * SKY + 0 * share),
    ((150.0, 400.0), (500.0, 250.0), False, lambda share, px: 0.3 * SKY + 4 * SKY * (px % 60 < 6)),
    ((620.0, 90.0), (720.0, 190.0), True, lambda share, px: 1.5 * SKY * np.sin(np.pi * share) ** 1.5),
    ((760.0, 330.0), (960.0, 300.0), False, lambda share, px: 0.4 * SKY + 0 * share),
)


class Trails(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        rng = np.random.default_rng(5)
        cls.clean = stars(rng)
        light = cls.clean + sum(trail(a, b, f) for a, b, _, f in TRAILS)
        cls.noise = 0.06 * SKY
        grain = rng.normal(size=(*SIZE, 3)) * cls.noise
        cls.light = (light[..., None] + grain).astype(np.float32)
        sky = np.zeros(SIZE, bool)
        sky[:458] = True
        cls.sky = sky

    def test_each_is_found_once_and_the_meteor_told(self):
        found = find_trails(self.light, self.sky)
        self.assertEqual(len(found), len(TRAILS))
        for start, end, meteor, _ in TRAILS:
            ends = np.array([start, end]) / max(SIZE)

            def away(one, ends=ends):
                own = np.array([one.start, one.end])
                return min(np.abs(own - ends).max(), np.abs(own[::-1] - ends).max())

            nearest = min(found, key=away)
            # A meteor is as long as it is seen.
            self.assertLess(away(nearest), 40 / max(SIZE))
            self.assertEqual(nearest.meteor, meteor)

    def test_stars_alone_have_none_and_neither_has_the_ground(self):
        grain = np.random.default_rng(6).normal(size=(*SIZE, 3)) * self.noise
        alone = (self.clean[..., None] + grain).astype(np.float32)
        self.assertEqual(find_trails(alone, self.sky), [])
        self.assertEqual(find_trails(self.light, ~self.sky), [])
        self.assertEqual(find_trails(self.light, np.zeros(SIZE, bool)), [])

    def test_their_patches_leave_the_sky(self):
        renderer = Renderer(PreparedScene.from_radiance(RadianceMap(self.light, None)))
        found = passing_lights(renderer, Treatment())
        lights = [patch for patch, told in found if not told.meteor]
        self.assertEqual(len(lights), 3)
        mended = renderer.source(Treatment(mend=[MendLayer(patches=lights)])).read(0)
        for start, end, meteor, _ in TRAILS:
            on = trail(start, end, lambda share, px: 1 + 0 * share) > 0.6
            on[:, -3:] = False
            left = np.median(mended[on].mean(-1)) - SKY
            if meteor:
                self.assertGreater(left, 0.3 * SKY)
            else:
                self.assertLess(abs(left), 0.06 * SKY)
        again = passing_lights(renderer, Treatment(mend=[MendLayer(patches=lights)]))
        self.assertEqual([told.meteor for _, told in again], [True])


if __name__ == "__main__":
    unittest.main()
