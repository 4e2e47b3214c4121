"""Detail out of the sites of frames that were moved, against a truth that is drawn finer than the frames."""

import unittest

import cv2
import numpy as np

from crenn.camera.sensor import Exposure, Sensor
from crenn.core.frames.light import Sites
from crenn.core.geometry.mapping import Mesh
from crenn.core.merge.detail import refine
from crenn.core.merge.instructions import Instructions
from crenn.core.merge.merge import merge_frames
from crenn.core.pipeline.fringes import Fringes
from crenn.core.progress import Progress
from tests.support import FolderCase, light_frames, take

SIZE = (440, 704)
CLEAN = Sensor(prnu=0.0, dsnu=0.0, hot_share=0.0, dark_current=0.0)
SHIFTS = ((0.0, 0.0), (1.37, 2.21), (-2.6, 0.72), (0.55, -1.4), (-0.3, -3.17))


def drawn() -> np.ndarray:
    """Discs and bars of all sizes in colours, four times as large as a frame, beside an even wall; float32."""
    rng = np.random.default_rng(4)
    height, width = (4 * n for n in SIZE)
    out = np.full((height, width, 3), 0.12, np.float32)
    wall = width * 3 // 4
    for _ in range(500):
        x, y = (int(v) for v in rng.integers((0, 0), (wall - 100, height)))
        colour = (rng.uniform(0.05, 0.6) * rng.uniform(0.3, 1, 3)).tolist()
        if rng.random() < 0.5:
            cv2.circle(out, (x, y), int(rng.integers(4, 90)), colour, -1)
        else:
            reach = rng.integers(-200, 200, 2)
            end = (int(np.clip(x + reach[0], 0, wall - 30)), int(y + reach[1]))
            cv2.line(out, (x, y), end, colour, int(rng.integers(3, 14)))
    out[:, wall:] = 0.12
    return cv2.GaussianBlur(out, (0, 0), 1.6)


def recorded(light: np.ndarray, shift=(0.0, 0.0)) -> np.ndarray:
    """As a frame of `SIZE` records it that was moved by a shift in its pixels: integrated over each site."""
    matrix = np.array([[1, 0, 4 * shift[0]], [0, 1, 4 * shift[1]]], np.float64)
    flags = cv2.INTER_CUBIC | cv2.WARP_INVERSE_MAP
    moved = cv2.warpAffine(light, matrix, light.shape[1::-1], flags=flags, borderMode=cv2.BORDER_REFLECT)
    return cv2.resize(np.maximum(moved, 1e-4), SIZE[::-1], interpolation=cv2.INTER_AREA)


def decibels(rgb: np.ndarray, truth: np.ndarray) -> float:
    a, b = (np.clip(v, 0, 1)[16:-16, 16:-16] ** (1 / 2.2) for v in (rgb, truth))
    return float(-10 * np.log10(np.mean((a - b) ** 2)))


class HandHeld(FolderCase):
    def merged(self, frames: list, exposures: list, **instructions):
        paths = take(self.folder / f"set{len(list(self.folder.iterdir()))}", frames, exposures, CLEAN)
        return merge_frames(paths, 0, instructions=Instructions(**instructions))

    def test_five_frames_show_more_than_one(self):
        frames = [recorded(drawn(), s) for s in SHIFTS]
        one = self.merged(frames[:1], [Exposure(1.0)])
        before = self.merged(frames, [Exposure(1.0)] * 5, detail=False)
        after = self.merged(frames, [Exposure(1.0)] * 5)
        self.assertEqual((before.report["detail_frames"], after.report["detail_frames"]), (0, 5))
        self.assertEqual(before.report["detail_db"], 0)
        self.assertGreater(after.report["detail_db"], 2)
        figures = [decibels(m.rgb, frames[0]) for m in (one, before, after)]
        self.assertGreater(figures[2], figures[0] + 4, figures)
        self.assertGreater(figures[2], figures[1] + 3, figures)
        # The even wall at the right: no colour of its own, and as noisy as is told.
        wall = np.s_[20:-20, -100:-20]
        np.testing.assert_allclose(after.rgb[wall].mean((0, 1)), frames[0][wall].mean((0, 1)), rtol=2e-3)
        off = (after.rgb[wall] - frames[0][wall]) / after.sigma[wall]
        np.testing.assert_allclose(off.std((0, 1)), 1.0, atol=0.1)

    def test_a_bracket_shows_more_than_its_middle_frame(self):
        frames = [recorded(drawn(), s) for s in SHIFTS[:4]]
        exposures = [Exposure(1.0), Exposure(1 / 8), Exposure(1 / 2), Exposure(4.0)]
        one = self.merged(frames[:1], exposures[:1])
        after = self.merged(frames, exposures)
        self.assertEqual(after.report["detail_frames"], 4)
        self.assertGreater(decibels(after.rgb, frames[0]), decibels(one.rgb, frames[0]) + 1.5)

    def test_what_moved_leaves_nothing_of_other_frames(self):
        lights = []
        for k in range(3):
            light = drawn()
            # A bright thing on the even wall, elsewhere in each frame.
            cv2.rectangle(light, (2250 + 140 * k, 600), (2330 + 140 * k, 840), (0.6, 0.3, 0.2), -1)
            lights.append(light)
        frames = [recorded(light, s) for light, s in zip(lights, SHIFTS)]
        merged = self.merged(frames, [Exposure(1.0), Exposure(1 / 2), Exposure(2.0)])
        self.assertEqual(merged.report["detail_frames"], 3)
        for where in (np.s_[140:220, 592:690], np.s_[154:206, 566:579]):
            self.assertLess(np.abs(merged.rgb[where] - frames[0][where]).max(), 0.03)

    def test_frames_that_were_not_moved_are_as_they_were(self):
        frames = [recorded(drawn())] * 3
        exposures = [Exposure(1.0), Exposure(1 / 4), Exposure(4.0)]
        one, other = (self.merged(frames, exposures, detail=d) for d in (False, True))
        self.assertEqual(other.report["detail_frames"], 0)
        np.testing.assert_array_equal(one.rgb, other.rgb)
        np.testing.assert_array_equal(one.sigma, other.sigma)


class Misplaced(FolderCase):
    def test_frames_that_lie_elsewhere_are_not_asked(self):
        truth = [recorded(drawn(), s) for s in SHIFTS[:3]]
        paths = take(self.folder, truth, [Exposure(1.0)] * 3, CLEAN)
        for off, asked in ((0.0, 3), (0.5, 0)):
            frames = light_frames(paths)
            for frame, (dx, dy), wrong in zip(frames, SHIFTS, (0.0, off, -off)):
                frame.sites = Sites(frame.mosaic, frame.levels)
                frame.mesh = Mesh.from_homography(np.array([[1, 0, wrong - dx], [0, 1, -dy], [0, 0, 1.0]]), SIZE)
            first = frames[0].raw
            rgb = truth[0] @ np.linalg.inv(first.to_rec2020.astype(np.float64)).T.astype(np.float32)
            before = rgb.copy()
            lost, sigma, scale = np.zeros(SIZE, bool), np.ones_like(rgb), np.float32(0.01)
            what = frames, first.pattern, first.neutral_gains, Fringes(), lost, None, scale
            self.assertEqual(refine(rgb, sigma, *what, Progress()).frames, asked)
            self.assertEqual(bool((sigma == 1).all()), not asked)
            # A guide that is right already is left so.
            self.assertLess(float(np.abs(rgb - before).mean()), 2e-3 if asked else 1e-12)


class Back(unittest.TestCase):
    def test_the_way_back_leads_back(self):
        turn = np.radians(3.0)
        matrix = np.array(
            [[np.cos(turn), -np.sin(turn), 31.0], [np.sin(turn), np.cos(turn), -12.0], [1e-6, -2e-6, 1.0]]
        )
        mesh = Mesh.from_homography(matrix, (400, 600))
        back = mesh.inverted((400, 600))
        points = np.random.default_rng(1).uniform((80, 80), (500, 300), (200, 2))
        np.testing.assert_allclose(mesh.at(back.at(points)), points, atol=2e-3)
