"""Relief: texture by scale, edges without halo."""

import unittest

import numpy as np

from crenn.core.colorimetry.spaces import luminance
from crenn.core.light.relief import fine_detail
from crenn.core.pipeline.planes import PlaneContext
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

    def test_medium_takes_hold_of_what_lies_between(self):
        self.assertGreater(stretched(45, medium=2.0), 1.4)
        self.assertLess(stretched(45, medium=0.0), 0.6)
        for length in (4, 400):
            self.assertLess(abs(stretched(length, medium=2.0) - 1), 0.35, length)

    def test_bands_of_one_amount_are_as_if_there_were_none(self):
        """All three at a factor stretch what departs from the widest base by it, whatever its scale."""
        for length in (6, 45, 150):
            with self.subTest(length=length):
                alone = max(stretched(length, **{name: 1.6}) for name in ("fine", "medium", "broad"))
                self.assertGreater(stretched(length, fine=1.6, medium=1.6, broad=1.6), alone - 0.02)

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
        detail = fine_detail(rgb, PlaneContext(1.0, 300, 1e-3))
        self.assertLess(np.abs(detail).max(), 1e-5)


class Guards(unittest.TestCase):
    def test_grain_is_not_lifted_and_texture_is(self):
        rng = np.random.default_rng(7)
        light = np.full((240, 400), -6.0)
        light[:, 200:] += 0.25 * np.sin(np.arange(200) * 2 * np.pi / 3)
        rgb = grey(light)
        sigma = np.full_like(rgb, 0.03 * 2.0**-6)
        noisy = (rgb + rng.normal(0, 1, rgb.shape[:2])[..., None] * sigma).astype(np.float32)
        known = Renderer(
            PreparedScene.from_radiance(RadianceMap(noisy, sigma / np.sqrt((np.array([0.26, 0.68, 0.06]) ** 2).sum())))
        )
        unknown = Renderer(PreparedScene.from_radiance(RadianceMap(noisy, None)))
        treatment = parse_treatment(Treatment.neutral().model_dump() | {"relief": {"on": True, "fine": 2.5}})
        whole = Window.whole((240, 400))
        grain, texture = np.s_[40:200, 40:160], np.s_[40:200, 240:360]
        before = np.log2(np.maximum(noisy[..., 1], 1e-6))
        after = {
            n: np.log2(np.maximum(r.linear(treatment, whole)[..., 1], 1e-6))
            for n, r in (("known", known), ("unknown", unknown))
        }
        self.assertGreater(after["unknown"][grain].std(), 1.8 * before[grain].std())
        self.assertLess(after["known"][grain].std(), 1.25 * before[grain].std())
        self.assertGreater(after["known"][texture].std(), 1.4 * before[texture].std())

    def test_stars_are_left_alone_on_wish(self):
        stops = np.full((300, 450), -6.0)
        stops += 0.1 * np.sin(np.arange(450) * 2 * np.pi / 4)
        for y, x in ((60, 80), (150, 220), (220, 350)):
            stops[y : y + 2, x : x + 2] = -2.0
        plain = relieved(grey(stops), fine=2.0)
        spared = relieved(grey(stops), fine=2.0, stars=True)
        self.assertGreater(plain[60, 80], -1.8)
        self.assertAlmostEqual(float(spared[60, 80]), -2.0, delta=0.05)
        away = np.s_[100:130, 300:400]
        np.testing.assert_allclose(spared[away], plain[away], atol=1e-4)


class Colours(unittest.TestCase):
    def picture(self) -> np.ndarray:
        """Even light; the left half reddish in thin stripes."""
        rgb = np.full((200, 300, 3), 0.1)
        stripes = (np.arange(300) // 3 % 2 == 0) & (np.arange(300) < 150)
        rgb[:, stripes] *= np.array([1.08, 0.98, 0.95])
        return rgb.astype(np.float32)

    def contrast(self, rgb: np.ndarray) -> float:
        share = np.log2(rgb[60:140, 30:120, 0] / rgb[60:140, 30:120, 1])
        return float(share.std())

    def shown(self, **values) -> np.ndarray:
        renderer = Renderer(PreparedScene.from_radiance(RadianceMap(self.picture(), None)))
        treatment = parse_treatment(Treatment.neutral().model_dump() | {"relief": {"on": True} | values})
        return renderer.linear(treatment, Window.whole((200, 300)))

    def test_differences_of_colour_are_stretched_and_evened_and_luminance_stays(self):
        before = self.picture()
        for value, low, high in ((2.0, 1.5, 2.1), (0.0, 0.0, 0.5)):
            after = self.shown(colour=value)
            with self.subTest(value=value):
                self.assertTrue(low < self.contrast(after) / self.contrast(before) < high)
                np.testing.assert_allclose(luminance(after), luminance(before), rtol=1e-4)
                np.testing.assert_allclose(after[:, 200:], before[:, 200:], rtol=1e-4)

    def test_each_of_three_scales_stretches_its_own(self):
        """Waves of colour of three lengths: the finest is stretched by all, the widest by the broad one alone."""
        gains = {}
        for length in (6, 40):
            x = np.sin(2 * np.pi * np.arange(900) / length) * 0.1
            rgb = np.repeat((0.1 * np.exp2(np.stack([x, 0 * x, -x], -1)))[None], 600, 0).astype(np.float32)
            renderer = Renderer(PreparedScene.from_radiance(RadianceMap(rgb, None)))
            for name in ("colour_fine", "colour_broad"):
                document = Treatment.neutral().model_dump() | {"relief": {"on": True, name: 2.0}}
                after = renderer.linear(parse_treatment(document), Window.whole((600, 900)))[300, 100:-100]
                gains[name, length] = np.log2(after[:, 0] / after[:, 2]).std() / (2 * x.std())
        self.assertGreater(gains["colour_fine", 6], 1.5)
        self.assertLess(gains["colour_fine", 40], 1.2)
        self.assertGreater(gains["colour_broad", 40], 1.5)

    def test_an_edge_of_colour_gets_no_halo(self):
        rgb = np.full((200, 300, 3), (0.1, 0.1, 0.1), np.float32)
        rgb[:, 150:] = (0.03, 0.08, 0.3)
        renderer = Renderer(PreparedScene.from_radiance(RadianceMap(rgb, None)))
        treatment = parse_treatment(Treatment.neutral().model_dump() | {"relief": {"on": True, "colour": 2.0}})
        after = renderer.linear(treatment, Window.whole((200, 300)))
        self.assertLess(np.abs(np.log2(after / rgb)[50:150]).max(), 0.2)


class Sizes(unittest.TestCase):
    def test_the_plane_of_a_part_is_the_part_of_the_plane(self):
        rng = np.random.default_rng(4)
        rgb = grey(rng.normal(-5, 1, (256, 384)))
        for long_side in (384, 4000, 12000):
            around = PlaneContext(1.0, long_side, 1e-4)
            whole = fine_detail(rgb, around)
            # Rows that start on the lattice, with more around them than the plane looks at.
            margin = int(np.ceil(7 * 0.15 / 100 * long_side)) // 16 * 16 + 16
            if margin * 2 + 32 > 256:
                continue
            part = fine_detail(rgb[16 : 16 + 2 * margin + 32], around)
            np.testing.assert_array_equal(part[margin : margin + 32], whole[16 + margin : 16 + margin + 32])

    def test_at_a_size_where_it_cannot_be_seen_there_is_none(self):
        self.assertTrue((fine_detail(grey(wave(3)), PlaneContext(0.05, 900, 1e-4)) == 0).all())
