"""Mends on scenes whose truth is known: what is put in, whatever reads it, and what cannot be mended."""

import unittest

import cv2
import numpy as np

from crenn.core.areas.brush import GRID
from crenn.core.basis import PlaceMap
from crenn.core.colorimetry.spaces import luminance
from crenn.core.errors import InvalidTreatment
from crenn.core.noise.layers import TAKEN
from crenn.core.radiance import RadianceMap
from crenn.core.render.cache import Stopped
from crenn.core.render.pyramid import PreparedScene
from crenn.core.render.renderer import Renderer
from crenn.core.render.window import Window
from crenn.core.treatment import Treatment, parse_treatment

SIZE = (400, 600)


def points(*places: tuple[float, float]) -> list[int]:
    """Places in pixels as a patch tells them."""
    whole = np.round(np.array(places) / max(SIZE) * GRID).astype(int)
    return np.concatenate([whole[:1], np.diff(whole, axis=0)]).ravel().tolist()


def patch(*places: tuple[float, float], radius: float = 0.0, **more) -> dict:
    """A patch by places and a radius in pixels."""
    return {"points": points(*places), "radius": radius / max(SIZE)} | more


def mended(*patches: dict, **layer) -> Treatment:
    """A treatment that does nothing but mend."""
    return parse_treatment(Treatment.neutral().model_dump() | {"mend": [{"patches": list(patches)} | layer]})


def rows_of_bricks() -> np.ndarray:
    """Bricks in rows under light that falls off, float32 (H, W, 3)."""
    y, x = np.mgrid[: SIZE[0], : SIZE[1]].astype(np.float32)
    row = y // 20
    mortar = (y % 20 < 3) | ((x + 22 * (row % 2)) % 44 < 3)
    light = np.exp2(-4 + 1.5 * x / SIZE[1]) * np.where(mortar, 1.6, 1.0)
    return (light[..., None] * np.array([1.0, 0.7, 0.5])).astype(np.float32)


def grainy() -> tuple[np.ndarray, np.ndarray]:
    """An even, noisy wall, and the deviation of its noise, float32 (H, W, 3)."""
    rng = np.random.default_rng(5)
    x = np.linspace(0, 1, SIZE[1], dtype=np.float32)
    clean = np.broadcast_to((0.02 * (1 + x))[None, :, None], (*SIZE, 3)).astype(np.float32)
    sigma = 0.1 * clean
    noise = cv2.GaussianBlur(rng.normal(size=(*SIZE, 3)).astype(np.float32), (0, 0), 0.6)
    return clean + sigma * noise / noise.std(), sigma


class Mends(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.truth = rows_of_bricks()
        broken = cls.truth.copy()
        cv2.circle(broken, (300, 200), 18, (4.0, 4.0, 4.0), -1)
        cv2.line(broken, (40, 60), (560, 330), (0.001, 0.001, 0.002), 3)
        cls.scene = PreparedScene.from_radiance(RadianceMap(broken, None))
        cls.renderer = Renderer(cls.scene)
        cls.whole = Window.whole(SIZE)

    def light(self, *patches: dict, **layer) -> np.ndarray:
        return self.renderer.linear(mended(*patches, **layer), self.whole)

    def test_rows_continue_through_a_spot_and_along_a_wire(self):
        spot, wire = patch((300, 200), radius=24), patch((40, 60), (560, 330), radius=6)
        out = self.light(wire, spot)
        wrong = np.abs(np.log2(luminance(out) / luminance(self.truth)))
        broken = np.abs(np.log2(luminance(self.scene.read(0)) / luminance(self.truth))) > 0.5
        # Of what was covered nearly all is as it would be: mortar is half as bright again as bricks.
        self.assertLess(np.median(wrong[broken]), 0.05)
        self.assertLess((wrong[broken] > 0.35).mean(), 0.03)
        np.testing.assert_array_equal(out[360:], self.truth[360:])

    def test_a_chosen_origin_is_copied_as_it_is_or_fitted(self):
        shift = [44 * 3 / SIZE[1], 0.0]
        copied = self.light(patch((150, 300), radius=20, origin={"shift": shift}, fit="copy"))
        there = np.s_[290:310, 140:160]
        np.testing.assert_allclose(copied[there], self.truth[290:310, 140 + 132 : 160 + 132], rtol=1e-4)
        fitted = self.light(patch((150, 300), radius=20, origin={"shift": shift}))
        # Light falls off by a third of a stop over that way, and the place keeps its own.
        np.testing.assert_allclose(np.log2(fitted[there] / self.truth[there]), 0, atol=0.08)
        self.assertGreater(np.log2(copied[there] / self.truth[there]).mean(), 0.25)
        # Mirrored before it is turned, it comes out mirrored.
        turned = self.light(patch((150, 300), radius=20, origin={"shift": shift, "turn": 180.0}, fit="copy"))
        again = self.light(
            patch((150, 300), radius=20, origin={"shift": shift, "turn": 180.0, "mirror": True}, fit="copy")
        )
        np.testing.assert_allclose(turned[290:310, 142:158], again[290:310, 157:141:-1], rtol=0.03)

    def test_it_is_looked_for_in_a_box_however_far_off(self):
        box = [500 / 600, 300 / 600, 1.0, 390 / 600]
        treatment = mended(patch((100, 330), radius=12, within=box))
        ((_, (solved,)),) = self.renderer.solved(treatment)
        x, y = np.array([100, 330]) / 600 + solved.origin.shift
        self.assertTrue(box[0] <= x <= box[2] and box[1] <= y <= box[3], (x, y))

    def test_a_layer_and_a_patch_are_faded_and_switched(self):
        spot = patch((300, 200), radius=24, origin={"shift": [0.0, 80 / SIZE[1]]}, fit="copy")
        before, full = self.scene.read(0), self.light(spot)
        half = self.light(spot | {"opacity": 50.0})
        np.testing.assert_allclose(half, 0.5 * (before + full), rtol=1e-4)
        np.testing.assert_allclose(self.light(spot, opacity=50.0), half, rtol=1e-5)
        for off in (self.light(spot, on=False), self.light(spot | {"on": False}), self.light()):
            np.testing.assert_array_equal(off, before)
        soft = self.light(spot | {"softness": 100.0})
        self.assertLess(np.abs(soft - before)[200, 277].max(), 0.5 * np.abs(full - before)[200, 277].max())

    def test_later_patches_see_what_earlier_ones_left(self):
        first = patch((300, 200), radius=24, origin={"shift": [0.0, 80 / SIZE[1]]}, fit="copy")
        second = patch((100, 200), radius=15, origin={"shift": [200 / SIZE[1], 0.0]}, fit="copy")
        out = self.light(first, second)
        np.testing.assert_allclose(out[195:205, 95:105], self.light(first)[195:205, 295:305], rtol=1e-5)
        self.assertGreater(self.light(second, first)[200, 100].min(), 3.0)

    def test_all_sizes_show_what_the_full_size_does(self):
        treatment = mended(patch((301, 203), radius=24), patch((40, 60), (560, 330), radius=6))
        source = self.renderer.source(treatment)
        again = PreparedScene.from_radiance(RadianceMap(np.array(source.read(0)), None))
        for level in range(2):
            np.testing.assert_allclose(source.read(level), again.read(level), rtol=1e-5, atol=1e-7)
            part = slice(60, 130), slice(31, 170)
            np.testing.assert_array_equal(source.read(level, *part), source.read(level)[part])

    def test_what_cannot_be_mended_leaves_the_scene(self):
        before = self.scene.read(0)
        everything = patch((0, 0), (600, 0), (600, 400), (0, 400), closed=True)
        away = patch((300, 200), radius=20, origin={"shift": [2.0, 2.0]})
        beyond = patch((900, 900), radius=20)
        for one in (everything, away, beyond):
            np.testing.assert_array_equal(self.light(one), before)
            self.assertEqual([solved for _, solved in self.renderer.solved(mended(one))], [[]])
        # What lies partly beyond the scene is mended as far as there is something to copy.
        partly = self.light(patch((300, 200), radius=20, origin={"shift": [290 / SIZE[1], 0.0]}, fit="copy"))
        self.assertTrue((partly != before).any() and np.isfinite(partly).all())
        for wrong in (
            {"points": [1, 2, 3], "radius": 0.1},
            {"points": [1, 2], "radius": 0.0},
            {"points": [1, 2, 3, 4], "radius": 0.1, "closed": True},
            {"points": [1, 2], "radius": 0.1, "origin": {"shift": [9.0, 0.0]}},
            {"points": [1, 2], "radius": 0.1, "origin": {"shift": [0.1, float("nan")]}},
        ):
            with self.assertRaises(InvalidTreatment):
                mended(wrong)
        with self.assertRaisesRegex(InvalidTreatment, "patches"):
            parse_treatment({"mend": [{"patches": [patch((9, 9), radius=4)] * 600}] * 2})

    def test_places_go_along_to_another_basis(self):
        one = mended(patch((300, 200), radius=24, origin={"shift": [0.1, 0.0]}, within=[0.1, 0.1, 0.4, 0.3]))
        moved = one.mend[0].moved(PlaceMap.scaled(0.5, 0.5)).patches[0]
        np.testing.assert_allclose(moved.places(), one.mend[0].patches[0].places() / 2, atol=1e-4)
        np.testing.assert_allclose([moved.radius, moved.origin.shift[0]], [24 / 600 / 2, 0.05], rtol=1e-3)
        np.testing.assert_allclose(moved.within, [0.05, 0.05, 0.2, 0.15])


class Grain(unittest.TestCase):
    """What is put in has the grain of its surroundings, and is cleaned as they are."""

    @classmethod
    def setUpClass(cls):
        light, sigma = grainy()
        cv2.circle(light, (300, 200), 20, (0.3, 0.3, 0.3), -1)
        cls.scene = PreparedScene.from_radiance(RadianceMap(light, sigma))
        cls.scene.split_noise()
        cls.renderer = Renderer(cls.scene)
        outline = patch((215, 130), (390, 130), (390, 280), (215, 280), closed=True)
        cls.treatments = {"spot": mended(patch((300, 200), radius=26)), "outline": mended(outline)}

    def test_noise_inside_is_that_of_the_surroundings(self):
        for name, treatment in self.treatments.items():
            source = self.renderer.source(treatment)
            inside, around = np.s_[185:215, 285:315], np.s_[185:215, 420:450]
            for array, least, most in (
                (source.read(0), 0.85, 1.15),
                (np.asarray(source.read_noise(0)[..., TAKEN], np.float32), 0.8, 1.25),
            ):
                ratio = _deviation(array[inside]) / _deviation(array[around])
                with self.subTest(name=name):
                    self.assertTrue(least < ratio < most, ratio)
            level = float(np.median(luminance(source.read(0)[inside])))
            self.assertAlmostEqual(level, 0.02 * 1.5, delta=0.002)
            # The lamp's noise layer is gone with it: cleaned light is even through the patch.
            clean = source.read(0).astype(np.float32) - np.asarray(source.read_noise(0)[..., TAKEN], np.float32)
            self.assertLess(_deviation(clean[170:230, 270:330]), 0.4 * _deviation(source.read(0)[170:230, 270:330]))
            sigma = source.plane("sigma")
            np.testing.assert_allclose(sigma[inside] / source.read(0)[inside].mean(), 0.1, rtol=0.25)

    def test_a_filled_outline_tells_how_far_it_is_and_can_be_stopped(self):
        outline, told = mended(patch((60, 60), (260, 70), (250, 240), (70, 230), closed=True)), []

        def impatient(share: float, text: str) -> bool:
            told.append(share)
            if share > 0.2:
                raise Stopped
            return True

        def patient(share: float, text: str) -> bool:
            told.append(share)
            return True

        with self.assertRaises(Stopped), self.renderer.cache.stoppable(lambda: False, impatient):
            self.renderer.source(outline)
        stopped = len(told)
        with self.renderer.cache.stoppable(lambda: False, patient):
            source = self.renderer.source(outline)
        shares = told[stopped:]
        self.assertGreater(len(shares), stopped)
        self.assertEqual(shares, sorted(shares))
        self.assertTrue(0 <= shares[0] < 0.2 and 0.6 < shares[-1] <= 1, shares)
        self.assertFalse(np.array_equal(source.read(0)[140, 140], self.scene.read(0)[140, 140]))


def _deviation(part: np.ndarray) -> float:
    """Of second differences: what is even or a slope has none."""
    return float(np.std(np.diff(part[..., 1].astype(np.float64), n=2, axis=0)))
