"""What moved: regions, the frame each comes from, the brush, water, passing lights; coverage and grouping."""

import unittest
from datetime import datetime, timedelta

import cv2
import numpy as np

from crenn.camera.sensor import Exposure, Sensor
from crenn.camera.shoot import shoot
from crenn.core.colorimetry.spaces import luminance
from crenn.core.errors import CrennError
from crenn.core.frames.grouping import GroupingKey, group_frames, signature_of
from crenn.core.merge.instructions import Choice, Instructions, Stroke
from crenn.core.merge.merge import merge_frames
from crenn.core.radiance import read_exr, write_exr
from tests.support import FolderCase, take

CLEAN = Sensor(prnu=0.0, dsnu=0.0, hot_share=0.0, dark_current=0.0)
EXPOSURES = tuple(Exposure(s) for s in (1 / 16, 1 / 4, 1.0, 4.0))
NAMES = [f"frame-{i + 1}.dng" for i in range(4)]


def crossing(value: float = 0.3, ground: float = 0.05) -> list[np.ndarray]:
    """A bright thing that stands somewhere else in each of four frames."""
    out = []
    for index in range(4):
        rgb = np.full((160, 240, 3), ground, np.float32)
        rgb[60:100, 30 + 45 * index : 60 + 45 * index] = value
        out.append(rgb)
    return out


class Regions(FolderCase):
    def merged(self, scenes, **instructions):
        return merge_frames(
            take(self.folder, scenes, EXPOSURES, CLEAN), reference=2, instructions=Instructions(**instructions)
        )

    def test_a_region_comes_from_one_frame_whole(self):
        scenes = crossing()
        merged = self.merged(scenes)
        known = merged.moved > 0
        self.assertTrue(known[62:98, 122:148].all())
        self.assertEqual(set(np.unique(merged.moved[known])), {3})
        error = np.log2(merged.rgb[8:-8, 8:-8].mean(-1) / scenes[2][8:-8, 8:-8].mean(-1))
        self.assertLess(np.sqrt((error[known[8:-8, 8:-8]] ** 2).mean()), 0.05)
        self.assertEqual(merged.report["regions"][0]["frame"], NAMES[2])
        still = (slice(120, 150), slice(10, 230))
        full = self.merged(scenes, deghost=False)
        loss = 20 * np.log10(merged.rgb[still].std() / full.rgb[still].std())
        self.assertLess(loss, 0.3, "where nothing moved all frames count")

    def test_motion_in_the_dark_is_found_by_the_brighter_frames(self):
        scenes = [np.full((160, 240, 3), 2e-4, np.float32) for _ in range(4)]
        scenes[3][60:100, 100:160] = 5e-4
        merged = merge_frames(
            take(self.folder, scenes, (*EXPOSURES[:2], Exposure(2.0), Exposure(4.0)), CLEAN), reference=1
        )
        self.assertGreater((merged.moved[66:94, 106:154] > 0).mean(), 0.9)
        self.assertLess((merged.moved[110:, :] > 0).mean(), 0.02)

    def test_a_lamp_over_moving_water_is_whole(self):
        """A lamp that clips the reference, and in darker frames has moved by half of itself, over water that moves."""
        random = np.random.default_rng(5)
        scenes = []
        for index in range(4):
            rgb = np.full((320, 480, 3), 0.02, np.float32)
            waves = random.uniform(0.4, 2.0, (40, 60, 1)).astype(np.float32)
            rgb *= np.repeat(np.repeat(waves, 8, 0), 8, 1)
            rgb[152:172, 224 + 10 * index : 244 + 10 * index] = 3.0
            scenes.append(rgb)
        merged = self.merged(scenes, align=False)
        lamp = scenes[2][..., 1] > 1
        light = merged.rgb[..., 1]
        inner = np.s_[154:170, 246:262]
        self.assertTrue(lamp[inner].all())
        self.assertGreater(light[inner].min(), 0.8)
        around = np.zeros(lamp.shape, bool)
        around[140:184, 200:300] = True
        self.assertLess((light[around & ~lamp] > 0.3).mean(), 0.03)
        self.assertLess(np.abs(np.log2(merged.rgb[inner][..., 0] / merged.rgb[inner][..., 1])).max(), 0.3)

    def test_lamps_of_a_hand_held_set_have_not_moved(self):
        """What clipped light has touched in a frame that was moved is no light: lamps that stand still do so."""
        shot = shoot("dam-crest", self.folder, (900, 600), seed=3, truth=False)
        merged = merge_frames(shot.frames, reference=shot.reference)
        self.assertTrue(merged.report["aligned"])
        self.assertLess(merged.report["moved_share"], 0.02)
        light = luminance(merged.rgb)
        lamp = (light > 1).astype(np.uint8)
        self.assertGreater(lamp.sum(), 50)
        near, wide = (cv2.dilate(lamp, np.ones((n, n), np.uint8)) > 0 for n in (5, 17))
        ring = wide & ~near
        self.assertLess(np.quantile(merged.sigma[ring][:, 1] / np.maximum(merged.rgb[ring][:, 1], 1e-6), 0.9), 0.3)

    def test_a_thing_that_clips_the_reference_comes_from_a_darker_frame(self):
        merged = self.merged(crossing(3.0))
        self.assertIn(int(np.median(merged.moved[64:96, 78:102])), (1, 2))

    def test_the_user_chooses_the_frame(self):
        scenes = crossing()
        merged = self.merged(scenes, choices=[Choice(x=0.55, y=0.5, frame=NAMES[1])])
        self.assertAlmostEqual(float(merged.rgb[70:90, 126:144, 1].mean()), 0.05, delta=0.005)
        self.assertTrue((merged.moved[70:90, 126:144] == 2).all())

    def test_the_brush_adds_and_takes_away(self):
        scenes = [np.full((160, 240, 3), 0.05, np.float32)] * 4
        line = [(0.2, 0.5), (0.6, 0.5)]
        added = self.merged(scenes, strokes=[Stroke(kind="moved", points=line, radius=0.04, frame=NAMES[1])])
        self.assertTrue((added.moved[78:82, 60:140] == 2).all())
        self.assertGreater(added.sigma[80, 100, 1], 1.5 * added.sigma[20, 100, 1])
        self.assertTrue((added.moved[:40] == 0).all())
        taken = self.merged(crossing(), strokes=[Stroke(kind="still", points=[(0.1, 0.5), (0.9, 0.5)], radius=0.25)])
        self.assertEqual((taken.moved > 0).sum(), 0)

    def test_passing_lights_are_kept_on_wish(self):
        scenes = [np.full((160, 240, 3), 0.02, np.float32) for _ in range(4)]
        scenes[3][80:86, 20:220] = 0.2
        gone, kept = self.merged(scenes), self.merged(scenes, keep_trails=True)
        self.assertAlmostEqual(float(gone.rgb[82:84, 40:200, 1].mean()), 0.02, delta=0.002)
        self.assertAlmostEqual(float(kept.rgb[82:84, 40:200, 1].mean()), 0.2, delta=0.01)

    def test_the_map_of_what_moved_goes_through_a_file(self):
        merged = self.merged(crossing())
        write_exr(self.folder / "m.exr", merged.rgb, merged)
        np.testing.assert_array_equal(read_exr(self.folder / "m.exr").moved, merged.moved)


class Documents(FolderCase):
    def test_instructions_from_a_file(self):
        path = self.folder / "m.json"
        path.write_text('{"align": false, "method": "median"}')
        self.assertEqual((Instructions.read(path).align, Instructions.read(path).method), (False, "median"))
        for text, told in (('{"method": "guess"}', "method"), ("[", "no JSON"), ('{"ghosts": 1}', "ghosts")):
            path.write_text(text)
            with self.assertRaises(CrennError) as caught:
                Instructions.read(path)
            self.assertIn(told, str(caught.exception))
            self.assertIn("m.json", str(caught.exception))


class Coverage(FolderCase):
    def coverage(self, rgb, exposures):
        return merge_frames(take(self.folder, rgb, exposures, CLEAN), reference=0).report["coverage"]

    def test_clipped_light_asks_for_a_shorter_frame(self):
        rgb = np.full((120, 160, 3), 0.05, np.float32)
        rgb[30:60, 30:60] = 9.0
        found = self.coverage(rgb, [Exposure(1.0)])
        self.assertAlmostEqual(found["clipped_everywhere"], 900 / 19200, delta=0.012)
        self.assertLess(found["advice"]["ev"], -1)
        self.assertEqual(found["advice"]["seconds"], 0.25)
        self.assertIn("shorter frame", found["words"][-1])

    def test_thin_shadows_ask_for_a_longer_frame_that_helps(self):
        x = np.exp2(np.linspace(-13, -1, 320, dtype=np.float32))
        rgb = np.broadcast_to(x[None, :, None], (160, 320, 3)).copy()
        found = self.coverage(rgb, [Exposure(0.5)])
        advice = found["advice"]
        self.assertGreater(advice["ev"], 1)
        both = self.coverage(rgb, [Exposure(0.5), Exposure(advice["seconds"])])
        before, after = found["lifts"][-1]["ev"], both["lifts"][-1]["ev"]
        self.assertGreater(after, before + 0.5 * advice["gain_db"] / 6)
        self.assertTrue(found["missing"] or found["thin"])

    def test_a_smaller_output_lifts_further(self):
        x = np.exp2(np.linspace(-12, -1, 2400, dtype=np.float32))
        found = self.coverage(np.broadcast_to(x[None, :, None], (64, 2400, 3)).copy(), [Exposure(1.0)])
        lifts = {entry["long_edge"]: entry["ev"] for entry in found["lifts"]}
        self.assertEqual(set(lifts), {2048, 2400})
        self.assertGreaterEqual(lifts[2048], lifts[2400])


class Grouping(unittest.TestCase):
    start = datetime(2026, 10, 17, 18, 0)

    def key(self, at: float, stop: float, kind: str = "light", view: int = 1, seconds: float = 1.0) -> GroupingKey:
        picture = np.kron(np.random.default_rng(view).integers(0, 255, (16, 24, 3)), np.ones((4, 4, 1))).astype(
            np.uint8
        )
        return GroupingKey(
            self.start + timedelta(seconds=at), seconds, 2.0**stop, "T1", 600, 400, 24.0, kind, signature_of(picture)
        )

    def test_a_stack_of_brackets_stays_together_and_two_views_do_not(self):
        same = [self.key(2 * i, (i % 3) * 2) for i in range(6)]
        self.assertEqual(group_frames(same), [[0, 1, 2, 3, 4, 5]])
        two = [self.key(2 * i, (i % 3) * 2, view=1 + i // 3) for i in range(6)]
        self.assertEqual(group_frames(two), [[0, 1, 2], [3, 4, 5]])

    def test_dark_frames_go_to_the_scene_they_were_exposed_for(self):
        keys = [self.key(0, 0, seconds=1), self.key(2, 2, seconds=4), self.key(4, 4, seconds=16)]
        keys += [self.key(60 + 12 * i, 7, view=2, seconds=10) for i in range(5)]
        keys += [self.key(8, 7, "dark", seconds=10)]
        self.assertEqual(group_frames(keys), [[0, 1, 2], [3, 4, 5, 6, 7, 8]])

    def test_darkness_alone_is_a_scene(self):
        self.assertEqual(group_frames([self.key(0, 0, "dark"), self.key(2, 0, "dark")]), [[0, 1]])

    def test_signatures_do_not_mind_the_exposure(self):
        rng = np.random.default_rng(3)
        light = np.kron(rng.uniform(0.02, 0.2, (16, 24, 1)), np.ones((6, 6, 3)))
        a, b = (signature_of(np.clip(255 * (light * k) ** (1 / 2.2), 0, 255).astype(np.uint8)) for k in (1, 4))
        self.assertGreater(float(a @ b), 0.9)
