"""Relief: texture by scale, edges without halo."""

import unittest

import numpy as np

from crenn.core.light.relief import fine_detail
from crenn.core.pipeline.planes import Around
from crenn.core.radiance import RadianceMap
from crenn.core.render.pyramid import PreparedScene
from crenn.core.render.renderer import Renderer
from crenn.core.render.window import Window
from crenn.core.treatment import Treatment, parse_treatment


def grey(stops: np.ndarray) -> np.ndarray:
    return np.repeat(np.exp2(stops)[..., None], 3, -1).astype(np.float32)


def relieved(rgb: np.ndarray, **values) -> np.ndarray:
    """Stops after relief alone."""
    renderer = Renderer(PreparedScene.from_radiance(RadianceMap(rgb, None)))
    treatment = parse_treatment(Treatment.neutral().model_dump() | {"relief": {"on": True} | values})
    return np.log2(renderer.linear(treatment, Window.whole(rgb.shape[:2]))[..., 1])


def wave(length: float, height: float = 0.2, size: tuple[int, int] = (600, 900)) -> np.ndarray:
    x = np.arange(size[1]) + 0.5
    return np.broadcast_to(-4 + height * np.sin(2 * np.pi * x / length), size)


def stretched(length: float, **values) -> float:
    """How many times stronger a wave of a length in pixels is after relief, on 900 pixels."""
    middle = np.s_[200:400, 250:650]
    return float(relieved(grey(wave(length)), **values)[middle].std() / wave(length)[middle].std())


class Scales(unittest.TestCase):
    def test_fine_takes_hold_of_what_is_small(self):
        self.assertGreater(stretched(4, fine=2.0), 1.7)
        self.assertLess(stretched(90, fine=2.0), 1.1)
        self.assertLess(stretched(4, fine=0.0), 0.35)

    def test_broad_takes_hold_of_wide_shapes(self):
        self.assertGreater(stretched(150, broad=1.8), 1.35)
        self.assertLess(stretched(150, broad=0.5), 0.8)

    def test_none_changes_nothing(self):
        np.testing.assert_array_equal(relieved(grey(wave(9))), np.log2(grey(wave(9))[..., 1]))

    def test_even_light_has_no_relief(self):
        flat = grey(np.full((200, 300), -3.0))
        for values in ({"fine": 3.0}, {"broad": 2.0}, {"fine": 0.0, "broad": 0.3}):
            np.testing.assert_allclose(relieved(flat, **values), -3.0, atol=0.02, err_msg=str(values))


class Edges(unittest.TestCase):
    def test_a_skyline_gets_no_halo(self):
        stops = np.full((300, 450), -1.0)
        stops[150:] = -7.0
        after = relieved(grey(stops), fine=2.5)
        # Beside the edge itself, and farther off.
        self.assertLess(np.abs(after - stops)[20:280].max(), 0.25)
        away = np.r_[20:146, 154:280]
        self.assertLess(np.abs(after - stops)[away].max(), 0.05)

    def test_noise_below_the_floor_is_not_stretched(self):
        rng = np.random.default_rng(2)
        rgb = np.abs(rng.normal(0, 1e-5, (200, 300, 3))).astype(np.float32)
        detail = fine_detail(rgb, Around(1.0, 300, 1e-3))
        self.assertLess(np.abs(detail).max(), 1e-5)


class Sizes(unittest.TestCase):
    def test_the_plane_of_a_part_is_the_part_of_the_plane(self):
        rng = np.random.default_rng(4)
        rgb = grey(rng.normal(-5, 1, (256, 384)))
        for long_side in (384, 4000, 12000):
            around = Around(1.0, long_side, 1e-4)
            whole = fine_detail(rgb, around)
            # Rows that start on the lattice, with more around them than the plane looks at.
            margin = int(np.ceil(7 * 0.15 / 100 * long_side)) // 16 * 16 + 16
            if margin * 2 + 32 > 256:
                continue
            part = fine_detail(rgb[16 : 16 + 2 * margin + 32], around)
            np.testing.assert_array_equal(part[margin : margin + 32], whole[16 + margin : 16 + margin + 32])

    def test_at_a_size_where_it_cannot_be_seen_there_is_none(self):
        self.assertTrue((fine_detail(grey(wave(3)), Around(0.05, 900, 1e-4)) == 0).all())
