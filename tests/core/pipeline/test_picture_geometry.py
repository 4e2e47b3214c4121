"""Frames: how planes lie over the scene, there and back."""

import unittest

import numpy as np

from crenn.core.errors import CrennError
from crenn.core.pipeline.picture_geometry import LensMap, PictureGeometry, about

SCENE = (800, 1200)
RNG = np.random.default_rng(5)
PLACES = RNG.uniform((0, 0), (1200, 800), (200, 2))


def turned(degrees: float, frame: PictureGeometry | None = None) -> PictureGeometry:
    turn = np.radians(degrees)
    cos, sin = np.cos(turn), np.sin(turn)
    return (frame or PictureGeometry.whole(SCENE)).after(
        about((600, 400), np.array([[cos, sin, 0], [-sin, cos, 0], [0, 0, 1.0]]))
    )


def bulge(strength: float = 0.04) -> LensMap:
    """A lens that draws places a little nearer to the middle, the more the farther out they are."""
    middle, half = np.array([600.0, 400.0]), 720.0

    def recorded(points: np.ndarray, channel: int) -> np.ndarray:
        out = points - middle
        radius2 = (out**2).sum(1, keepdims=True) / half**2
        return middle + out * (1 - (strength + 0.002 * (channel - 1)) * radius2)

    return LensMap(("bulge", strength), recorded, True)


class Places(unittest.TestCase):
    def frames(self):
        tilt = about((600, 400), np.array([[1, 0, 0], [0, 1, 0], [0, 2e-4, 1.0]]))
        yield "whole", PictureGeometry.whole(SCENE)
        yield "turned", turned(7)
        yield "cut", turned(-3).after(np.array([[1, 0, 100], [0, 1, 50], [0, 0, 1.0]]), (500, 700))
        yield "tilted", turned(2).after(tilt)
        yield "lens", PictureGeometry(SCENE, SCENE, lens=bulge())
        yield "lens and tilt", PictureGeometry(SCENE, SCENE, lens=bulge()).after(tilt)

    def test_there_and_back_is_where_it_began(self):
        for name, frame in self.frames():
            with self.subTest(frame=name):
                np.testing.assert_allclose(frame.to_plane(frame.to_scene(PLACES)), PLACES, atol=1e-4)
                np.testing.assert_allclose(frame.of_shares(frame.shares(PLACES)), PLACES, atol=1e-4)

    def test_a_cut_moves_places_by_its_corner(self):
        frame = PictureGeometry.whole(SCENE).after(np.array([[1, 0, 100], [0, 1, 50], [0, 0, 1.0]]), (500, 700))
        self.assertEqual(frame.offset, (100, 50))
        np.testing.assert_allclose(frame.to_scene(np.array([[0.0, 0.0]])), [[100, 50]])

    def test_what_reaches_beyond_the_scene_is_no_mere_cut(self):
        for x, y, size in ((-1, 0, (500, 700)), (0, 400, (500, 700)), (600, 0, (100, 601)), (0.5, 0, (100, 100))):
            frame = PictureGeometry.whole(SCENE).after(np.array([[1, 0, x], [0, 1, y], [0, 0, 1.0]]), size)
            self.assertIsNone(frame.offset, (x, y, size))

    def test_frames_are_told_apart_by_all_that_matters(self):
        keys = [frame.key for _, frame in self.frames()]
        self.assertEqual(len(set(keys)), len(keys))
        self.assertEqual(turned(7).key, turned(7).key)

    def test_the_map_at_nodes_says_the_same(self):
        for name, frame in self.frames():
            with self.subTest(frame=name):
                nodes = frame.meshes()
                corners = np.array([[0, 0], [frame.size[1], 0], [0, frame.size[0]], [frame.size[1], frame.size[0]]])
                told = np.array(nodes["to_scene"])[[0, 16, -17, -1]]
                np.testing.assert_allclose(told, frame.shares(corners.astype(float)), atol=1e-6)
                back = np.array(nodes["to_plane"])[[0, 16, -17, -1]]
                scene = np.array([[0, 0], [1200, 0], [0, 800], [1200, 800.0]])
                np.testing.assert_allclose(back, frame.to_plane(scene), atol=0.006)
                self.assertEqual((nodes["scene"], nodes["long"]), ([1.0, 800 / 1200], 1200))

    def test_red_and_blue_lie_elsewhere_where_a_lens_says_so(self):
        frame = PictureGeometry(SCENE, SCENE, lens=bulge())
        at = np.array([[1150.0, 60.0]])
        red, green, blue = (frame.to_scene(at, c)[0] for c in range(3))
        np.testing.assert_allclose(red - green, green - blue, atol=1e-9)
        self.assertGreater(np.hypot(*(red - green)), 0.5)


class Walls(unittest.TestCase):
    def test_what_lies_within_the_walls_was_recorded(self):
        for name, frame in Places().frames():
            with self.subTest(frame=name):
                plane = RNG.uniform((-200, -200), (1400, 1000), (4000, 2))
                within = (plane @ frame.walls[:, :2].T <= frame.walls[:, 2]).all(1)
                scene = frame.to_scene(plane)
                recorded = ((scene >= -0.01) & (scene <= np.array([1200, 800]) + 0.01)).all(1)
                self.assertTrue(recorded[within].all())
                # And hardly anything that was recorded is left out.
                self.assertLess((recorded & ~within).sum() / recorded.sum(), 0.05)

    def test_the_room_is_where_the_walls_meet(self):
        for name, frame in Places().frames():
            with self.subTest(frame=name):
                off = frame.room @ frame.walls[:, :2].T - frame.walls[:, 2]
                self.assertLess(off.max(), 1e-6)
                np.testing.assert_allclose((np.abs(off) < 1e-6).sum(1), 2)
        np.testing.assert_allclose(
            PictureGeometry.whole(SCENE).room, [[0, 0], [1200, 0], [1200, 800], [0, 800]], atol=1e-9
        )

    def test_a_perspective_that_turns_the_picture_over_is_said(self):
        over = PictureGeometry.whole(SCENE).after(about((600, 400), np.array([[1, 0, 0], [0, 1, 0], [0, -3e-3, 1.0]])))
        with self.assertRaisesRegex(CrennError, "turns the picture over|stretches"):
            _ = over.outline

    def test_a_perspective_that_blows_it_up_is_said(self):
        wide = PictureGeometry.whole(SCENE).after(about((600, 400), np.diag([0.2, 0.2, 1.0])))
        with self.assertRaisesRegex(CrennError, "stretches"):
            _ = wide.outline
