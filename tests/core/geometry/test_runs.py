"""Pictures and mosaics moved along runs, against the plain filter at every place."""

import unittest

import numpy as np

from crenn.core.geometry.lanczos import PHASES, TAPS, lanczos
from crenn.core.geometry.mapping import Mesh
from crenn.core.geometry.resample import resample
from crenn.core.geometry.runs import SIDE, columns_apart
from crenn.core.mosaic.demosaic import compressed, interpolate
from crenn.core.mosaic.levels import Levels
from crenn.core.mosaic.moving import FULL, MISSING, MOVED_LEVELS, Interpolated
from crenn.core.mosaic.noise import NoiseModel
from tests.support import RGGB

SIZE = 101, 151
LEVELS = Levels(np.full(3, 512, np.float32), 16383.0, 16000.0)
NOISE = NoiseModel(np.full(3, 1e-4, np.float32), np.full(3, 1e-6, np.float32))
GAINS = np.array([2.0, 1.0, 1.5], np.float32)


def turned(degrees: float, x: float, y: float) -> Mesh:
    a = np.deg2rad(degrees)
    matrix = np.array([[np.cos(a), -np.sin(a)], [np.sin(a), np.cos(a)]])
    return Mesh.of(lambda p: p @ matrix.T + (x, y), SIZE)


def mosaic() -> np.ndarray:
    y, x = np.mgrid[: SIZE[0], : SIZE[1]]
    return (4000 + 2500 * np.sin(x / 9) * np.cos(y / 7) + 300 * np.sin(x * y / 50)).astype(np.uint16)


def filtered(picture: np.ndarray, mesh: Mesh) -> np.ndarray:
    """A picture at the places of a mesh, one by one; NaN where they lie outside."""
    height, width = picture.shape[:2]
    y, x = np.mgrid[: mesh.size[0], : mesh.size[1]]
    at = mesh.at(np.stack([x, y], -1).reshape(-1, 2))
    j, i = np.floor(at).astype(int).T
    wx, wy = (lanczos()[((f - np.floor(f)) * PHASES + 0.5).astype(int)] for f in at.T)
    rows, columns = (np.clip(n[:, None] + np.arange(TAPS) - 2, 0, m - 1) for n, m in ((i, height), (j, width)))
    out = np.einsum("na,nb,nabc->nc", wy, wx, picture[rows[:, :, None], columns[:, None, :]])
    out[((at < -0.5) | (at > (width - 0.5, height - 0.5))).any(-1)] = np.nan
    return out.reshape(*mesh.size, -1)


class Runs(unittest.TestCase):
    def test_a_picture_is_what_the_filter_gives_at_each_place(self):
        picture = np.random.default_rng(2).random((60, 83, 2), dtype=np.float32)
        halved = Mesh.of(lambda p: p / 2 - 3.3, (130, 90))
        for mesh in (
            turned(0.0, 0.0, 0.0),
            turned(0.3, 3.3, -1.7),
            turned(-4.0, 6.0, 0.5),
            turned(29.0, 20.0, -20.0),
            halved,
        ):
            expected, moved = filtered(picture, mesh), resample(picture, mesh)
            np.testing.assert_array_equal(np.isnan(moved), np.isnan(expected))
            self.assertGreater(np.isfinite(moved).mean(), 0.1)
            # Phases of the filter are rounded.
            self.assertLess(np.nanmax(np.abs(moved - expected)), 4 / PHASES)

    def test_places_that_are_no_numbers_are_nothing(self):
        nodes = turned(0.0, 0.0, 0.0).nodes.copy()
        nodes[0, 0] = np.nan
        nodes[-1, -1] = np.inf
        moved = resample(np.ones((60, 83, 1), np.float32), Mesh(nodes, SIZE))
        self.assertTrue(np.isnan(moved[:32, :32]).all())
        np.testing.assert_allclose(moved[32:60, 32:83], 1, atol=1e-6)

    def test_columns_lie_apart_and_the_outermost_go_on(self):
        for width in (6, 7):
            picture = np.arange(5 * width * 2, dtype=np.float32).reshape(5, width, 2)
            apart = columns_apart(picture)
            apart = apart[..., : (width + 1) // 2 + SIDE]
            together = np.stack([apart[:, 0], apart[:, 1]], -1).reshape(2, 5 + 2 * SIDE, -1).transpose(1, 2, 0)
            edge = np.pad(picture, ((SIDE, SIDE), (SIDE, SIDE + width % 2), (0, 0)), "edge")
            np.testing.assert_array_equal(together, edge)

    def test_a_mosaic_that_stays_is_as_it_was(self):
        moved = Interpolated.of(mosaic(), RGGB, LEVELS, GAINS, NOISE).moved(Mesh.identity(SIZE))
        light = (moved.astype(np.float64) - MOVED_LEVELS.black[0]) / (FULL - MOVED_LEVELS.black[0])
        np.testing.assert_allclose(light, (mosaic() - 512.0) / (16383 - 512), atol=2e-5)

    def test_it_is_what_the_filter_gives_at_each_place(self):
        light = (mosaic().astype(np.float32) - 512) / np.float32(16383 - 512)
        balanced = light * GAINS[RGGB[np.arange(SIZE[0])[:, None] & 1, np.arange(SIZE[1]) & 1]]
        gain = balanced / light
        variance = (light * np.float32(1e-4) + np.float32(1e-6)) * gain * gain
        f, floor, scale = compressed(balanced, variance)
        colour = interpolate(f, RGGB, floor)
        y, x = np.mgrid[: SIZE[0], : SIZE[1]]
        for mesh in (turned(0.0, 3.3, -1.7), turned(0.6, -2.4, 4.1), turned(-4.0, 6.0, 0.5)):
            expected = np.take_along_axis(resample(colour, mesh), RGGB[y & 1, x & 1][..., None].astype(int), 2)[..., 0]
            expected = np.sinh(expected) * scale / gain * (FULL - MOVED_LEVELS.black[0]) + MOVED_LEVELS.black[0]
            moved = Interpolated.of(mosaic(), RGGB, LEVELS, GAINS, NOISE).moved(mesh)
            at = mesh.at(np.stack([x, y], -1).reshape(-1, 2)).reshape(*SIZE, 2)
            inside = ((at >= 0) & (at <= (SIZE[1] - 1, SIZE[0] - 1))).all(-1)
            np.testing.assert_array_equal(moved != MISSING, inside)
            self.assertGreater(inside.mean(), 0.7)
            self.assertLess(np.abs(moved[inside] - expected[inside]).max(), 3)
