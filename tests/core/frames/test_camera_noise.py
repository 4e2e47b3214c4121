"""Noise fitted for a camera: near the simulated sensor's own, kept as a document, and taken by the merge."""

import json

import numpy as np
from PIL import Image

from crenn.camera.sensor import Exposure, Sensor
from crenn.core.errors import CrennError
from crenn.core.frames.camera_noise import CameraNoise, fit_camera_noise, read_models, write_models
from crenn.core.frames.raw import read_raw
from crenn.core.frames.read import read_frame
from crenn.core.merge.merge import merge_frames
from crenn.core.noise.check import check_noise
from tests.support import BRACKET, FolderCase, night, ramp, take

ISO800 = tuple(Exposure(s, 8.0, 800.0) for s in (1 / 64, 1 / 8, 1 / 2))
SENSOR = Sensor()


def off_by(times: float, iso: float) -> tuple[float, ...]:
    """The noise profile of the sensor, as many times too strong."""
    return tuple(v * times for v in SENSOR.noise_profile(iso)) * 3


class Fitted(FolderCase):
    def near(self, model: CameraNoise, iso: float, slope: float = 0.1, offset: float = 0.25) -> None:
        truth = SENSOR.noise_profile(iso)
        self.assertAlmostEqual(model.slope[1] / truth[0], 1.0, delta=slope)
        self.assertAlmostEqual(model.offset[1] / truth[1], 1.0, delta=offset)

    def test_it_is_near_the_truth_with_textured_ground_whatever_the_file_tells(self):
        paths = take(self.folder, night(640, 960), ISO800, noise_profile=off_by(4.0, 800.0))
        (model,) = fit_camera_noise([read_raw(p) for p in paths])
        self.assertEqual(model.iso, 800.0)
        self.near(model, 800.0)

    def test_each_sensitivity_has_its_own(self):
        mixed = (BRACKET[1], ISO800[1], BRACKET[2], ISO800[2])
        models = fit_camera_noise([read_raw(p) for p in take(self.folder, night(480, 640), mixed)])
        self.assertEqual([m.iso for m in models], [100.0, 800.0])
        self.assertGreater(models[1].slope[1], 6 * models[0].slope[1])

    def test_it_is_fitted_on_the_places_that_were_chosen(self):
        """The upper half is a texture as fine as noise, so only the lower one tells; however the picture is held."""
        light = ramp(480, 640)
        light[:240] *= np.exp(0.5 * np.random.default_rng(1).standard_normal((240, 640, 1)))
        boxes = {1: (0.1, 0.42, 0.8, 0.3), 3: (0.1, 0.03, 0.8, 0.3), 6: (0.03, 0.1, 0.3, 0.8), 8: (0.42, 0.1, 0.3, 0.8)}
        for orientation, box in boxes.items():
            folder = self.folder / str(orientation)
            paths = take(folder, light.astype(np.float32), ISO800, orientation=orientation)
            frames = [read_raw(p) for p in paths]
            (chosen,) = fit_camera_noise(frames, [box])
            self.near(chosen, 800.0, 0.12)

    def test_one_place_of_one_light_scales_what_the_file_tells(self):
        even = np.full((320, 480, 3), 0.05, np.float32)
        paths = take(self.folder, even, ISO800[:1], noise_profile=off_by(3.0, 800.0))
        (model,) = fit_camera_noise([read_raw(p) for p in paths], [(0.1, 0.1, 0.6, 0.4)])
        self.near(model, 800.0, 0.1, 0.1)

    def test_what_cannot_be_is_said(self):
        frames = [read_raw(p) for p in take(self.folder, night(), ISO800[:2])]
        with self.assertRaisesRegex(CrennError, "too small"):
            fit_camera_noise(frames, [(0.5, 0.5, 0.01, 0.01)])
        with self.assertRaisesRegex(CrennError, "too small"):
            fit_camera_noise(frames, [(1.0, 1.0, 0.5, 0.5)])
        other = take(self.folder / "other", night(), ISO800[:1], model="Another")
        with self.assertRaisesRegex(CrennError, "another camera"):
            fit_camera_noise([*frames, read_raw(other[0])])
        picture = self.folder / "picture.png"
        Image.fromarray(np.full((64, 64, 3), 90, np.uint8)).save(picture)
        with self.assertRaisesRegex(CrennError, "developed"):
            fit_camera_noise([read_frame(picture)])


class Kept(FolderCase):
    def test_the_document_is_open_and_checked(self):
        path = self.folder / "n.json"
        model = CameraNoise(make="Crenn", model="T", iso=400, slope=(1e-4,) * 3, offset=(1e-7,) * 3)
        write_models(path, [model])
        self.assertEqual(read_models(path), [model])
        told = json.loads(path.read_text())
        self.assertEqual((told["format"], told["version"]), ("crenn-noise-models", 1))
        for broken in (
            told | {"version": 2},
            told | {"more": 1},
            told | {"models": [told["models"][0] | {"slope": [1e-4, -1.0, 1e-4]}]},
            told | {"models": [told["models"][0] | {"iso": 0}]},
            told | {"models": [told["models"][0] | {"offset": [1e-7]}]},
            ["models"],
        ):
            path.write_text(json.dumps(broken))
            with self.assertRaisesRegex(CrennError, "n.json"):
                read_models(path)
        path.write_text("{")
        with self.assertRaisesRegex(CrennError, "no JSON"):
            read_models(path)
        with self.assertRaisesRegex(CrennError, "cannot be read"):
            read_models(self.folder / "none.json")

    def test_a_merge_takes_it_in_place_of_what_the_files_tell(self):
        """Files that tell four times the variance make the prediction twice too strong; a fitted model mends it."""
        light = ramp(192, 960)
        paths = take(self.folder, light, BRACKET, noise_profile=off_by(4.0, 100.0))
        models = fit_camera_noise([read_raw(p) for p in paths])
        where = np.s_[40:150, 520:630]
        ratios = []
        for known in ((), models):
            merged = merge_frames(paths, models=known)
            ratios.append(check_noise(merged.rgb[where], merged.sigma[where]).ratio.mean())
        self.assertAlmostEqual(ratios[0], 0.5, delta=0.06)
        self.assertAlmostEqual(ratios[1], 1.0, delta=0.08)
        self.assertTrue(any("Noise as fitted" in w and "100" in w for w in merged.report["warnings"]))

    def test_another_camera_or_sensitivity_is_not_meant(self):
        paths = take(self.folder, night(64, 96), BRACKET[:2])
        for change in ({"model": "Another"}, {"iso": 200.0}):
            kept = fit_camera_noise([read_raw(p) for p in take(self.folder / "k", night(320, 480), BRACKET)])[0]
            merged = merge_frames(paths, models=[kept.model_copy(update=change)])
            self.assertFalse(any("Noise as fitted" in w for w in merged.report["warnings"]))
