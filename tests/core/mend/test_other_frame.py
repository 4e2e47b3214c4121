"""What another frame saw behind a thing that moved, from brackets with known truth."""

import cv2
import numpy as np

from crenn.core.errors import CrennError
from crenn.core.files import content_hash
from crenn.core.geometry.orientation import as_held, flip_of_exif
from crenn.core.merge.merge import merge_frames
from crenn.core.radiance import RadianceMap
from crenn.core.render.pyramid import PreparedScene
from crenn.core.render.renderer import Renderer
from crenn.core.treatment import Treatment, parse_treatment
from tests.support import FolderCase, night, take

#: Posts of light on the ground and before the sky.
GROUND, SKY = np.s_[200:250, 300:320], np.s_[60:110, 300:320]
#: Around a post so many pixels are mended.
BEYOND = 4


class OtherFrame(FolderCase):
    def merged(self, post=GROUND, without: int = 3, shift: int = 0, orientation: int = 1) -> None:
        """Merge a bracket with a post in all frames but one; that one is moved by some pixels."""
        truth = night()
        lights = [truth.copy() for _ in range(4)]
        for light in lights:
            light[post] = 0.12
        lights[without] = np.roll(truth, shift, 1)
        paths = take(self.folder, lights, orientation=orientation)
        self.keys = [content_hash(path) for path in paths]
        self.paths = dict(zip(self.keys, paths))
        radiance = merge_frames(paths, keys=self.keys)
        self.scene = PreparedScene.from_radiance(radiance, self.paths.get)
        flip = flip_of_exif(orientation)
        post_is = np.zeros(truth.shape[:2], bool)
        post_is[post] = True
        rows, columns = np.nonzero(as_held(post_is, flip))
        self.box = rows.min(), columns.min(), rows.max() + 1, columns.max() + 1
        self.inner = np.s_[self.box[0] + 6 : self.box[2] - 6, self.box[1] + 3 : self.box[3] - 3]
        truth = as_held(truth, flip)
        self.truth = truth * float(np.median(radiance.rgb[20:-20, 20:-20] / truth[20:-20, 20:-20]))

    def mended(self, **other) -> Treatment:
        top, left, bottom, right = (v + way * BEYOND for v, way in zip(self.box, (-1, -1, 1, 1)))
        corners = np.array([[left, top], [right, top], [right, bottom], [left, bottom]]) / max(self.scene.size)
        whole = np.round(corners * 16384).astype(int)
        points = np.concatenate([whole[:1], np.diff(whole, axis=0)]).ravel().tolist()
        return parse_treatment(
            {"mend": [{"patches": [{"points": points, "radius": 0, "closed": True, "other": other}]}]}
        )

    def seen(self, treatment: Treatment) -> float:
        """By how many EV what lies where the post stood departs from the truth."""
        light = Renderer(self.scene).source(treatment).read(0)[self.inner]
        return float(np.log2(light.mean() / self.truth[self.inner].mean()))

    def test_the_frame_that_saw_the_place_is_found_and_shown(self):
        self.merged()
        self.assertGreater(self.seen(Treatment()), 2)
        self.assertAlmostEqual(self.seen(self.mended()), 0, delta=0.06)
        ((_, (solved,)),) = Renderer(self.scene).solved(self.mended())
        self.assertEqual(solved.frame, self.keys[3])
        self.assertAlmostEqual(self.seen(self.mended(frame=self.keys[3])), 0, delta=0.06)
        # A frame that saw the post shows it.
        self.assertGreater(self.seen(self.mended(frame=self.keys[2])), 2)

    def test_its_noise_is_its_own(self):
        self.merged(SKY, without=2)
        self.scene.split_noise()
        source = Renderer(self.scene).source(self.mended())
        light, truth = source.read(0)[self.inner], self.truth[self.inner]
        departs = (light - truth) - cv2.GaussianBlur(light - truth, (0, 0), 6)
        told = source.plane("sigma")[self.inner].mean((0, 1))
        np.testing.assert_allclose(departs.std((0, 1)) / told, 1, atol=0.3)
        # Cleaning takes it, as beside the patch.
        clean = light - source.read_noise(0)[self.inner][..., :3]
        left = (clean - truth) - cv2.GaussianBlur(clean - truth, (0, 0), 6)
        self.assertLess(left.std(), 0.5 * departs.std())

    def test_frames_that_were_moved_or_turned_with_the_camera(self):
        for changes in ({"shift": 6}, {"orientation": 6}, {"orientation": 8}, {"orientation": 3}):
            with self.subTest(**changes):
                self.merged(**changes)
                self.assertGreater(self.seen(Treatment()), 2)
                self.assertAlmostEqual(self.seen(self.mended(frame=self.keys[3])), 0, delta=0.1)

    def test_frames_that_are_not_there(self):
        self.merged()
        before = self.scene.read(0)
        unknown = self.mended(frame="0" * 64)
        np.testing.assert_array_equal(Renderer(self.scene).source(unknown).read(0), before)
        self.paths.clear()
        np.testing.assert_array_equal(Renderer(self.scene).source(self.mended()).read(0), before)
        with self.assertRaises(CrennError):
            self.scene.others.part(self.keys[3], (0, 0, 40, 40))
        # A scene without a report has no frames.
        alone = PreparedScene.from_radiance(RadianceMap(np.array(before), None))
        self.assertEqual(alone.others.keys, [])
