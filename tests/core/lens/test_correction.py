"""Lens: distortion and lateral colour of a known lens are taken back."""

import shutil
import tempfile
import unittest
from pathlib import Path

import cv2
import numpy as np

from crenn.bench.charts import CLEAN
from crenn.bench.lens import corrected as light_through
from crenn.bench.lens import falloff_left, shifts_left
from crenn.camera.glass import Glass
from crenn.camera.sensor import Exposure
from crenn.core.errors import CrennError, InvalidTreatment
from crenn.core.geometry.crop import Crop, CropParameters
from crenn.core.lens.correction import LensCorrection, LensParameters
from crenn.core.merge.instructions import Instructions
from crenn.core.merge.merge import merge_frames
from crenn.core.pipeline.picture_geometry import PictureGeometry
from crenn.core.radiance import RadianceMap
from crenn.core.render.pyramid import PreparedScene
from crenn.core.render.renderer import Renderer
from crenn.core.render.view import View
from crenn.core.render.window import Window
from crenn.core.treatment import parse_treatment
from tests.core.mosaic.test_fringes import wall
from tests.support import SCENE_LIGHT, take

SIZE = (400, 600)
MIDDLE = np.array([300.0, 200.0])
SPOTS = np.array([(x, y) for x in range(60, 560, 60) for y in range(50, 370, 50)], float)


def drawn(distortion: float, red: float = 0.0, blue: float = 0.0) -> np.ndarray:
    """Spots as a lens of these faults draws them, computed from its definition; float32 (H, W, 3)."""
    y, x = np.mgrid[: SIZE[0], : SIZE[1]] + 0.5
    rgb = np.full((*SIZE, 3), 0.02)
    out = SPOTS - MIDDLE
    radius2 = (out**2).sum(1, keepdims=True) / (MIDDLE**2).sum()
    for channel, scale in enumerate((1 + red / 1000, 1.0, 1 + blue / 1000)):
        for cx, cy in MIDDLE + out * scale * (1 + distortion / 100 * radius2):
            near = np.s_[max(int(cy) - 12, 0) : int(cy) + 13, max(int(cx) - 12, 0) : int(cx) + 13]
            rgb[(*near, channel)] += np.exp(-((x[near] - cx) ** 2 + (y[near] - cy) ** 2) / (2 * 1.6**2))
    return rgb.astype(np.float32)


def found(light: np.ndarray, channel: int) -> np.ndarray:
    """Where the spots lie, by their centres of light, (N, 2)."""
    y, x = np.mgrid[: SIZE[0], : SIZE[1]] + 0.5
    centres = []
    for cx, cy in SPOTS:
        near = np.s_[int(cy) - 10 : int(cy) + 11, int(cx) - 10 : int(cx) + 11]
        weight = np.clip(light[(*near, channel)] - 0.05, 0, None)
        centres.append(((weight * x[near]).sum() / weight.sum(), (weight * y[near]).sum() / weight.sum()))
    return np.array(centres)


def corrected(rgb: np.ndarray, **lens) -> np.ndarray:
    return light_through(PreparedScene.from_radiance(RadianceMap(rgb, None)), **lens)


class Known(unittest.TestCase):
    def test_none_is_the_frame_itself(self):
        frame = PictureGeometry.whole(SIZE)
        self.assertIs(LensCorrection().frame(frame, LensParameters(), SCENE_LIGHT), frame)

    def test_every_spot_comes_to_lie_where_it_belongs(self):
        for faults in (
            {"distortion": -2.0},
            {"distortion": 1.5},
            {"red": 3.0, "blue": -2.0},
            {"distortion": -2.0, "red": -2.5, "blue": 1.5},
        ):
            rgb = drawn(**({"distortion": 0.0} | faults))
            fixed = corrected(rgb, **faults)
            for channel in range(3):
                off = np.hypot(*(found(fixed, channel) - SPOTS).T)
                with self.subTest(**faults, channel=channel):
                    self.assertLess(off.max(), 0.1)

    def test_fringes_go_while_the_dial_is_held_too(self):
        rgb = drawn(0.0, red=4.0)
        renderer = Renderer(PreparedScene.from_radiance(RadianceMap(rgb, None)))
        frame = LensCorrection().frame(PictureGeometry.whole(SIZE), LensParameters(red=4.0), SCENE_LIGHT)
        light = renderer.light(View(renderer.scene, frame, Window.whole(SIZE), fine=False))
        self.assertLess(np.hypot(*(found(light, 0) - SPOTS).T).max(), 0.15)

    def test_it_is_its_own_way_back(self):
        places = np.random.default_rng(1).uniform((0, 0), (600, 400), (100, 2))
        for distortion in (-15, -4, 3, 15):
            frame = LensCorrection().frame(
                PictureGeometry.whole(SIZE), LensParameters(distortion=distortion), SCENE_LIGHT
            )
            np.testing.assert_allclose(frame.to_scene(frame.to_plane(places)), places, atol=1e-4)

    def test_the_crop_stays_within_what_the_lens_recorded(self):
        for distortion in (-8, 6):
            frame = LensCorrection().frame(
                PictureGeometry.whole(SIZE), LensParameters(distortion=distortion), SCENE_LIGHT
            )
            x, y, width, height = Crop().box(frame, CropParameters())
            along = np.linspace(0, 1, 30)
            border = np.concatenate(
                [np.stack([x + 0.5 + along * (width - 1), np.full(30, row)], -1) for row in (y + 0.5, y + height - 0.5)]
                + [
                    np.stack([np.full(30, column), y + 0.5 + along * (height - 1)], -1)
                    for column in (x + 0.5, x + width - 0.5)
                ]
            )
            there = frame.to_scene(border)
            with self.subTest(distortion=distortion):
                self.assertTrue((there > -0.1).all() and (there < np.array([600, 400]) + 0.1).all())
                self.assertGreater(width * height / (SIZE[0] * SIZE[1]), 0.75)

    def test_a_straight_wall_is_straight_again(self):
        rgb = np.full((*SIZE, 3), 0.05, np.float32)
        y, x = np.mgrid[: SIZE[0], : SIZE[1]] + 0.5
        out = np.stack([x, y], -1) - MIDDLE
        # The ideal place of each recorded one, by iteration on the lens's definition.
        ideal = out.copy()
        for _ in range(40):
            ideal = out / (1 - 0.06 * (ideal**2).sum(-1, keepdims=True) / (MIDDLE**2).sum())
        rgb[ideal[..., 1] < -150] = 0.6
        soft = cv2.GaussianBlur(rgb, (0, 0), 0.8)
        light = corrected(soft, distortion=-6.0)[..., 1]
        edge = (light[:120, 40:560] > 0.3).sum(0)
        self.assertLessEqual(np.ptp(edge), 1)
        self.assertGreater(np.ptp((soft[:120, 40:560, 1] > 0.3).sum(0)), 3)


class Shot(unittest.TestCase):
    """A wall shot through the wide zoom, whose faults the camera computes from their definition, and through none."""

    SHOT = (900, 600)
    FOCAL = 30.0

    @classmethod
    def setUpClass(cls):
        cls.kept = Path(tempfile.mkdtemp(prefix="crenn-test-"))
        glass, matrix = Glass(cls.FOCAL, cls.SHOT), CLEAN.camera_matrix()
        width, height = cls.SHOT
        y, x = np.mgrid[:height, :width].astype(np.float64)
        places = np.stack([x.ravel(), y.ravel()], -1)

        def seen(drawn: bool) -> np.ndarray:
            """What falls on the sensor, in light that its colours are mixtures of, float32 (H, W, 3)."""
            colours = []
            for channel, tint in enumerate((0.8, 1.0, 1.2)):
                at = glass.ideal(places, channel) if drawn else places
                colours.append(tint * wall(at[:, 0].reshape(y.shape), at[:, 1].reshape(y.shape)))
            light = np.stack(colours, -1) * (glass.transmission(8.0)[..., None] if drawn else 1.0)
            return (light @ np.linalg.inv(matrix).T).astype(np.float32)

        exposures = (Exposure(0.25), Exposure(1.0))
        ideal = take(cls.kept / "ideal", seen(False), exposures, CLEAN)
        wide = take(cls.kept / "wide", seen(True), exposures, CLEAN, lens=Glass.name, focal_length=cls.FOCAL)
        without = Instructions(fringes=False)
        cls.truth = merge_frames(ideal, 1, instructions=without).rgb
        cls.scene = PreparedScene.from_radiance(merge_frames(wide, 1))
        cls.late = PreparedScene.from_radiance(merge_frames(wide, 1, instructions=without))

    @classmethod
    def tearDownClass(cls):
        shutil.rmtree(cls.kept, ignore_errors=True)

    def left(self, scene: PreparedScene, **lens) -> tuple[list[float], float]:
        light = light_through(scene, **lens)
        to_camera = scene.light.capture.to_camera
        return shifts_left(light, self.truth, to_camera, scene.floor), falloff_left(light, self.truth)

    def test_what_the_frames_tell_takes_all_of_it_back(self):
        (green, most, red, blue), falloff = self.left(self.scene)
        self.assertLess(green, 0.1)
        self.assertLess(most, 0.3)
        self.assertLess(red, 0.1)
        self.assertLess(blue, 0.1)
        self.assertLess(falloff, 0.02)

    def test_without_it_all_of_it_shows(self):
        (green, _, _, _), falloff = self.left(self.scene, profile="")
        self.assertGreater(green, 0.5)
        self.assertGreater(falloff, 0.3)

    def test_each_fault_has_an_amount(self):
        self.assertGreater(self.left(self.scene, falloff_amount=0)[1], 0.3)
        self.assertLess(self.left(self.scene, distortion_amount=100, falloff_amount=100)[1], 0.02)
        half = self.left(self.scene, falloff_amount=50)[1]
        self.assertAlmostEqual(half, self.left(self.scene, falloff_amount=0)[1] / 2, delta=0.03)

    def test_fringes_are_taken_better_before_colours_are_interpolated(self):
        early, late = self.left(self.scene)[0], self.left(self.late)[0]
        self.assertLess(early[2] + early[3], late[2] + late[3])

    def test_the_merge_says_what_it_took(self):
        fringes = self.scene.light.capture.fringes
        glass = Glass(self.FOCAL, self.SHOT)
        middle, half = np.array([449.5, 299.5]), np.hypot(450, 300)
        place = middle * 1.9
        green = np.hypot(*(glass.drawn(place[None], 1)[0] - middle))
        for channel in (0, 2):
            drawn = np.hypot(*(glass.drawn(place[None], channel)[0] - middle))
            self.assertAlmostEqual(fringes.factor(green / half, channel), drawn / green, delta=2e-5)
        self.assertEqual(self.scene.report["capture"]["fringes"]["by"], "profile")
        self.assertIsNone(self.late.light.capture.fringes)

    def test_less_than_all_puts_the_rest_back(self):
        none = self.left(self.scene, fringes_amount=0)[0]
        self.assertGreater(none[2] + none[3], 3 * sum(self.left(self.scene)[0][2:]))

    def test_the_base_is_of_corrected_light(self):
        """The tone of the corners follows light that was given back as it would light that was never taken."""
        light = {"exposure": {"ev": 1}, "placement": {"shadows": 2, "highlights": -3}, "tone": {"on": False}}
        treatment = parse_treatment(light | {"crop": {"on": False}})
        window = Window.whole(self.scene.size)
        shown = Renderer(self.scene).linear(treatment, window)
        ideal = PreparedScene.from_radiance(RadianceMap(self.truth, None))
        wanted = Renderer(ideal).linear(treatment, window)
        self.assertLess(falloff_left(shown, wanted), 0.06)

    def test_no_lens_leaves_what_the_merge_took_as_it_is(self):
        frame = Renderer(self.scene).frame(parse_treatment({"lens": {"profile": ""}}))
        self.assertIsNone(frame.lens)

    def test_a_lens_that_cannot_be_is_refused(self):
        for lens in ({"focal_length": 0}, {"aperture": -2}, {"profile": 7}, {"falloff": 99}, {"profile": "x" * 999}):
            with self.assertRaises(InvalidTreatment):
                parse_treatment({"lens": lens})
        with self.assertRaisesRegex(CrennError, "no lens “Nobody’s”"):
            light_through(self.scene, profile="Nobody’s")
