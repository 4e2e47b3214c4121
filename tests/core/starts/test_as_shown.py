"""As the camera showed it: its own picture in the raw file, and dials that come out like it."""

import io
import unittest
from dataclasses import replace

import cv2
import numpy as np
from PIL import Image

from crenn.camera.development import develop
from crenn.camera.sensor import Exposure
from crenn.core.colorimetry.spaces import srgb_to_lab
from crenn.core.errors import CrennError
from crenn.core.frames.embedded import embedded_picture
from crenn.core.light.automatic import automatic_light
from crenn.core.merge.merge import merge_frames
from crenn.core.render.pyramid import PreparedScene
from crenn.core.render.renderer import Renderer
from crenn.core.render.window import Window
from crenn.core.report.camera_picture import held_against
from crenn.core.starts.starts import start_values, starts_of
from crenn.core.treatment import Treatment
from tests.support import FolderCase, night, take

WHOLE = (0.0, 0.0, 1.0, 1.0)


def small_lab(codes: np.ndarray) -> np.ndarray:
    return srgb_to_lab(cv2.resize(codes, (60, 40), interpolation=cv2.INTER_AREA) / 255.0)


class Embedded(FolderCase):
    def frame(self, **changes):
        return take(self.folder, night(), [Exposure(1.0)], **changes)[0]

    def test_what_the_camera_wrote_is_read(self):
        found = embedded_picture(self.frame())
        shown = srgb_to_lab(develop(night(), 1.0) / 255.0)
        self.assertEqual(found.shape, (213, 320, 3))
        self.assertAlmostEqual(float(found[..., 1].mean()), 0.0755, delta=0.004)
        self.assertGreater(float(np.ptp(shown[..., 0])), 50)

    def test_files_without_one_or_with_one_of_no_use(self):
        grain = np.random.default_rng(1).integers(0, 255, (30, 45, 3), np.uint8)
        for picture in (None, grain):
            with self.subTest(picture=picture is not None):
                path = self.frame(picture=picture)
                self.assertIsNone(embedded_picture(path))
                merged = merge_frames([path])
                self.assertIsNone(merged.report["camera"])
                light = PreparedScene.from_radiance(merged).light
                self.assertNotIn("as-the-camera-showed-it", starts_of(light))
                with self.assertRaisesRegex(CrennError, "no picture of its camera"):
                    start_values(light, "as-the-camera-showed-it")

    def test_a_damaged_one_refuses_no_frame(self):
        path = self.frame()
        data = bytearray(path.read_bytes())
        at = data.index(b"\xff\xd8\xff")
        data[at + 40 : at + 4000] = bytes(3960)
        path.write_bytes(data)
        self.assertGreater(merge_frames([path]).rgb.mean(), 0)


class Against(unittest.TestCase):
    """Pictures that a file may carry beside the scene's light."""

    light = night()

    def shown(self) -> np.ndarray:
        data = io.BytesIO()
        Image.fromarray(develop(self.light, 1.0)).save(data, "PNG")
        codes = np.asarray(Image.open(data)).astype(np.float32) / 255
        return (codes**2.2).astype(np.float32)

    def test_of_another_size_or_turned(self):
        plain = held_against(self.light, self.shown(), WHOLE)
        for other in (
            cv2.resize(self.shown(), (300, 190)),
            np.rot90(self.shown()),
            np.rot90(self.shown(), 2),
            np.rot90(self.shown(), 3),
        ):
            found = held_against(self.light, np.ascontiguousarray(other), WHOLE)
            self.assertAlmostEqual(found.lightness, plain.lightness, delta=0.6)

    def test_a_scene_that_is_a_part_of_it(self):
        found = held_against(self.light[64:256, 96:384], self.shown(), (0.2, 0.2, 0.6, 0.6))
        own = held_against(self.light[64:256, 96:384], self.shown()[64:256, 96:384], WHOLE)
        self.assertAlmostEqual(found.lightness, own.lightness, delta=0.5)

    def test_one_that_shows_something_else_is_none(self):
        other = np.random.default_rng(2).random((80, 120, 3)).astype(np.float32)
        self.assertIsNone(held_against(self.light, other, WHOLE))
        self.assertIsNone(held_against(self.light, self.shown()[:60], WHOLE))

    def test_a_grey_one_tells_of_tones_alone(self):
        grey = np.repeat(self.shown().mean(-1, keepdims=True), 3, -1)
        self.assertLess(held_against(self.light, grey, WHOLE).saturation, 0.05)
        self.assertIsNone(held_against(np.repeat(self.light[..., 1:2], 3, -1), grey, WHOLE).saturation)

    def test_brighter_light_is_no_darker(self):
        tones = held_against(self.light, self.shown(), WHOLE).tones
        self.assertGreater(len(tones), 8)
        shown = [t.lightness for t in tones]
        self.assertEqual(shown, sorted(shown))


class Start(FolderCase):
    def test_hues_go_where_the_camera_puts_them(self):
        """A camera that shows blue as violet, as many do deep blue lamps."""
        light = night() * np.array([0.25, 0.3, 1.6], np.float32)
        picture = develop(light, 1.0).astype(np.float32)
        picture[..., 0] += 0.3 * picture[..., 2]
        picture = np.clip(picture, 0, 255).astype(np.uint8)
        path = take(self.folder, light, [Exposure(1.0)], picture=picture)[0]
        scene = PreparedScene.from_radiance(merge_frames([path]))
        values = start_values(scene.light, "as-the-camera-showed-it")
        self.assertNotEqual(values["primaries.blue_hue"], 0.0)
        camera, plain = small_lab(picture), values | {f"primaries.{n}_hue": 0.0 for n in ("red", "green", "blue")}
        away = []
        for dials in (values, plain):
            treatment = Treatment().started(dials).without("noise", "sharpening")
            shown = small_lab(Renderer(scene).picture(treatment, Window.whole(scene.size))[0])
            away.append(float(np.hypot(*(shown - camera)[..., 1:].reshape(-1, 2).T).mean()))
        self.assertLess(away[0], 0.75 * away[1])

    def codes(self, scene: PreparedScene, start: str) -> np.ndarray:
        treatment = Treatment().started(start_values(scene.light, start)).without("noise", "sharpening")
        return Renderer(scene).picture(treatment, Window.whole(scene.size))[0]

    def test_it_comes_out_as_the_camera_showed_it(self):
        for seconds in (1 / 8, 1.0, 4.0):
            with self.subTest(seconds=seconds):
                path = take(self.folder, night(), [Exposure(seconds)], name=f"s{seconds}")[0]
                scene = PreparedScene.from_radiance(merge_frames([path]))
                ours = small_lab(self.codes(scene, "as-the-camera-showed-it"))
                camera = small_lab(develop(night(), seconds))
                self.assertLess(float(np.abs(ours[..., 0] - camera[..., 0]).mean()), 2.5)
                chroma = [np.hypot(v[..., 1], v[..., 2]).mean() for v in (ours, camera)]
                self.assertAlmostEqual(chroma[0] / chroma[1], 1.0, delta=0.18)

    def test_a_lone_frame_is_not_shown_much_brighter_than_its_camera_did(self):
        path = take(self.folder, night(), [Exposure(0.5)])[0]
        scene = PreparedScene.from_radiance(merge_frames([path]))
        shown = float(small_lab(self.codes(scene, "as-it-was"))[..., 0].mean())
        self.assertLess(shown, 1.4 * scene.light.camera.mean)
        alone = replace(scene.light, camera=None)
        self.assertLess(automatic_light(scene.light).exposure, automatic_light(alone).exposure - 0.5)

    def test_of_a_bracket_and_of_a_frame_held_down_the_camera_says_nothing_of_brightness(self):
        bracket = merge_frames(take(self.folder, night(), name="b"), reference=1)
        held = merge_frames(take(self.folder, night(), [Exposure(1 / 64)], name="h"))
        for merged in (bracket, held):
            light = PreparedScene.from_radiance(merged).light
            self.assertIsNotNone(light.camera)
            self.assertEqual(automatic_light(light), automatic_light(replace(light, camera=None)))


if __name__ == "__main__":
    unittest.main()
