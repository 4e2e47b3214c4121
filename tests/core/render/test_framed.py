"""The picture plane: the scene resampled once, without ringing, and the same in every window."""

import unittest
from unittest import mock

import cv2
import numpy as np

from crenn.core.noise.layers import CHANNELS, TAKEN, NoiseLayers
from crenn.core.pipeline.picture_geometry import PictureGeometry
from crenn.core.radiance import RadianceMap
from crenn.core.render.pyramid import PreparedScene
from crenn.core.render.renderer import Renderer
from crenn.core.render.window import Window
from crenn.core.treatment import Treatment, parse_treatment
from tests.support import night


def turned(angle: float, **crop) -> Treatment:
    return parse_treatment(Treatment.neutral().model_dump() | {"level": {"angle": angle}, "crop": {"on": False} | crop})


def of(rgb: np.ndarray) -> Renderer:
    return Renderer(PreparedScene.from_radiance(RadianceMap(rgb.astype(np.float32), rgb.astype(np.float32) * 0.01)))


def waves(x: np.ndarray, y: np.ndarray) -> np.ndarray:
    """A scene that is known between its pixels too: smooth light over two stops, (…, 3)."""
    light = np.exp2(np.sin(x / 9.0) * np.cos(y / 11.0 + 0.7))
    return np.stack([light, 0.5 * light, 0.25 * light], -1) * 0.2


class Noise(unittest.TestCase):
    def test_a_turned_picture_is_freed_of_its_noise_as_one_that_is_straight(self):
        y, x = np.mgrid[:300, :440] + 0.5
        clean = waves(x, y).astype(np.float32)
        noise = (0.05 * clean * np.random.default_rng(5).standard_normal(clean.shape)).astype(np.float32)
        layers = np.zeros((*clean.shape[:2], CHANNELS), np.float16)
        layers[..., TAKEN] = noise
        scene = PreparedScene.from_radiance(RadianceMap(clean + layers[..., TAKEN], 0.05 * clean))
        with mock.patch("crenn.core.render.pyramid.split", return_value=NoiseLayers([layers])):
            scene.split_noise()
        dirty, truth = Renderer(scene), of(clean)
        off = {"noise": {"on": False}}
        for frame in ({"level": {"angle": 5.0}}, {"lens": {"distortion": -3.0, "red": 0.5, "falloff": 1.0}}):
            taking, leaving = (
                parse_treatment(Treatment.neutral().model_dump() | frame | noise)
                for noise in ({"noise": {"on": True, "luminance": 1.0, "colour": 1.0, "lifted": False}}, off)
            )
            for fine in (True, False):
                window = Window(60, 60, 280, 160, 280, 160)
                wanted = truth.linear(leaving, window, fine)
                left, before = (np.log2(dirty.linear(t, window, fine) / wanted).std() for t in (taking, leaving))
                with self.subTest(frame=frame, fine=fine):
                    self.assertLess(left, 0.05 * before)


class Truth(unittest.TestCase):
    SIZE = (300, 440)

    def test_between_pixels_it_is_what_the_scene_is_there(self):
        y, x = np.mgrid[: self.SIZE[0], : self.SIZE[1]] + 0.5
        renderer = of(waves(x, y))
        for angle in (0.37, 5.0, -31.0):
            treatment = turned(angle)
            frame = renderer.frame(treatment)
            light = renderer.linear(treatment, Window.whole(frame.size))
            places = frame.to_scene(np.stack([x.ravel(), y.ravel()], -1)).reshape(*x.shape, 2)
            inside = ((places > 4) & (places < np.array([self.SIZE[1], self.SIZE[0]]) - 4)).all(-1)
            off = np.log2(light[inside] / waves(places[..., 0], places[..., 1])[inside])
            with self.subTest(angle=angle):
                self.assertLess(np.abs(off).max(), 0.02)

    def test_what_lies_beyond_the_scene_is_black(self):
        renderer = of(night())
        light = renderer.linear(turned(20), Window.whole((320, 480)))
        self.assertTrue((light[0, 0] == 0).all() and (light[-1, -1] == 0).all())
        self.assertGreater(light[160, 240].min(), 0)

    def test_a_crop_that_reaches_beyond_the_scene_is_black_there(self):
        renderer = of(night())
        wide = parse_treatment(Treatment.neutral().model_dump() | {"crop": {"ratio": "1:1", "corners": True}})
        frame = renderer.frame(wide)
        self.assertEqual(frame.size, (480, 480))
        light = renderer.linear(wide, Window.whole(frame.size))
        self.assertTrue((light[:79] == 0).all() and (light[-79:] == 0).all())
        np.testing.assert_allclose(light[80:400], night(), rtol=1e-4, atol=1e-7)

    def test_no_pixel_of_the_largest_crop_is_black(self):
        renderer = of(night())
        for angle in (0.05, 0.3, -2.0, 11.0):
            treatment = turned(angle, on=True)
            light = renderer.linear(treatment, Window.whole(renderer.frame(treatment).size))
            self.assertGreater(light.min(), 1e-4, angle)

    def test_a_crop_alone_resamples_nothing(self):
        renderer = of(night())
        cut = parse_treatment(
            Treatment.neutral().model_dump()
            | {"crop": {"ratio": "free", "centre": [0.5, 0.3], "width": 0.4, "height": 0.3}}
        )
        frame = renderer.frame(cut)
        x, y = frame.offset
        np.testing.assert_array_equal(
            renderer.linear(cut, Window.whole(frame.size)), night()[y : y + frame.size[0], x : x + frame.size[1]]
        )


class Lamps(unittest.TestCase):
    """A lamp of twelve stops over its surroundings."""

    def setUp(self):
        self.rgb = np.full((240, 240, 3), 0.01, np.float32)
        y, x = np.mgrid[:240, :240] + 0.5
        self.rgb[np.hypot(x - 120, y - 120) < 6] = 40.0

    def test_no_ring_lies_about_it(self):
        light = of(self.rgb).linear(turned(7.0), Window.whole((240, 240)))
        stops = np.log2(light[20:220, 20:220, 1] / 0.01)
        y, x = np.mgrid[20:220, 20:220] + 0.5
        around = np.hypot(x - 120, y - 120) > 8.5
        self.assertGreater(stops[around].min(), -0.16)
        self.assertLess(stops[around].max(), 0.16)
        # A cubic over light itself, as is usual, digs a moat below nothing there.
        matrix = cv2.getRotationMatrix2D((119.5, 119.5), -7.0, 1.0)
        cubic = cv2.warpAffine(self.rgb, matrix, (240, 240), flags=cv2.INTER_CUBIC)[20:220, 20:220, 1]
        self.assertLess(cubic[np.hypot(x - 120, y - 120) > 6.5].min(), 0.0)

    def test_it_keeps_its_light(self):
        # As a lens draws one: without an edge that is sharper than its pixels.
        y, x = np.mgrid[:240, :240] + 0.5
        soft = (0.01 + 40 * np.exp(-((x - 120) ** 2 + (y - 120) ** 2) / (2 * 2.0**2)))[..., None].repeat(3, 2)
        turned_light = of(soft).linear(turned(7.0), Window.whole((240, 240)))[20:220, 20:220]
        self.assertAlmostEqual(float(turned_light.sum() / soft[20:220, 20:220].sum()), 1.0, delta=0.01)


class Windows(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.renderer = of(night(480, 720))
        cls.treatment = turned(3.3)
        cls.whole = cls.renderer.linear(cls.treatment, Window.whole((480, 720)))

    def test_a_window_is_its_part_of_the_whole_bit_for_bit(self):
        for x, y, w, h in ((0, 0, 100, 60), (311, 207, 120, 90), (620, 400, 100, 80)):
            part = self.renderer.linear(self.treatment, Window(x, y, w, h, w, h))
            np.testing.assert_array_equal(part, self.whole[y : y + h, x : x + w])

    def test_a_reduced_view_lies_over_the_whole(self):
        half = self.renderer.linear(self.treatment, Window(0, 0, 720, 480, 360, 240))
        full = cv2.resize(self.whole, (360, 240), interpolation=cv2.INTER_AREA)
        (dx, dy), _ = cv2.phaseCorrelate(
            np.log2(full[40:200, 60:300, 1] + 1e-3),
            np.log2(half[40:200, 60:300, 1] + 1e-3),
            cv2.createHanningWindow((240, 160), cv2.CV_32F),
        )
        self.assertLess(np.hypot(dx, dy), 0.1)

    def test_a_coarse_picture_is_near_the_fine_one(self):
        window = Window.whole((480, 720))
        coarse = self.renderer.light(self.renderer.view(self.treatment, window, fine=False))[60:420, 60:660]
        fine = self.whole[60:420, 60:660]
        sky = np.s_[:80]
        self.assertLess(np.abs(np.log2(coarse / fine))[sky].max(), 0.3)
        self.assertFalse(np.array_equal(coarse, fine))

    def test_planes_of_whole_numbers_come_along(self):
        columns = np.broadcast_to((np.arange(720) // 3).astype(np.uint8), (480, 720))
        scene = PreparedScene.from_radiance(RadianceMap(np.ones((480, 720, 3), np.float32), None, source=columns))
        found = Renderer(scene).sampled("source", self.treatment, Window(100, 100, 400, 300, 400, 300))
        y, x = np.mgrid[100:400, 100:500] + 0.5
        frame: PictureGeometry = self.renderer.frame(self.treatment)
        places = frame.to_scene(np.stack([x.ravel(), y.ravel()], -1))
        np.testing.assert_array_equal(found.ravel(), (np.floor(places[:, 0] + 1e-6).astype(int) // 3)[: found.size])
        self.assertEqual(scene.size, (480, 720))
