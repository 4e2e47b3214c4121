"""The base of even, slanting and parted light, and what a curve adds to it."""

import unittest

import numpy as np
from scipy.ndimage import map_coordinates

from crenn.bench.halo import in_a_room
from crenn.core.pipeline.instructions import table_stops
from crenn.core.pipeline.planes import GridCurve
from crenn.core.render.grid import LAYER, BaseGrid, build_base, looked_up

SIZE = 120, 180


def base_of(stops: np.ndarray, reach: float = 6.0) -> np.ndarray:
    """The base at each place of light of some stops, read as kernels read it, float (h, w)."""
    light = np.repeat(np.exp2(stops)[..., None], 3, -1).astype(np.float32)
    grid: BaseGrid = build_base(light, 1.0, reach, SIZE, 2.0**-20)
    y, x = np.mgrid[: SIZE[0], : SIZE[1]] + 0.5
    at = y / grid.cell + 1, x / grid.cell + 1, (stops - grid.start) / LAYER
    return np.asarray(map_coordinates(grid.cells, at, order=1, mode="nearest"))


class Base(unittest.TestCase):
    def test_even_light_is_its_own_whatever_its_stop(self):
        for stop in (-7.0, -6.9, -6.75, -6.6, 0.5):
            np.testing.assert_allclose(base_of(np.full(SIZE, stop)), stop, atol=2e-3)

    def test_light_that_slants_is_followed(self):
        y, x = np.mgrid[: SIZE[0], : SIZE[1]]
        stops = -5 + 0.8 * x / SIZE[1] + 0.5 * y / SIZE[0]
        inner = np.s_[10:-10, 10:-10]
        self.assertLess(np.abs(base_of(stops) - stops)[inner].max(), 0.05)

    def test_texture_is_evened_and_the_far_side_of_an_edge_has_no_say(self):
        stops = np.where(np.arange(SIZE[1]) < 90, -8.0, -3.0) + 0.15 * np.random.default_rng(5).standard_normal(SIZE)
        found = base_of(stops)
        for side, stop in ((np.s_[:, :90], -8.0), (np.s_[:, 90:], -3.0)):
            self.assertLess(found[side].std(), 0.5 * stops[side].std())
            self.assertLess(abs(found[side].mean() - stop), 0.02)

    def test_sky_and_trees_in_a_window_keep_their_tones_beside_a_dark_room(self):
        _, far, bright = in_a_room({})
        self.assertLess(bright, 0.15)
        self.assertLess(far, 0.05)


class Curves(unittest.TestCase):
    def test_they_add_between_their_stops_and_go_on_beyond_them(self):
        stops = table_stops()
        curve = GridCurve(6.0, np.sin(stops), 0.3, 0.4)
        cells = np.random.default_rng(6).uniform(stops[0] - 3, stops[-1] + 3, (5, 7, 40)).astype(np.float32)
        expected = np.interp(cells + 0.3, stops, curve.added) - 0.4 * cells
        np.testing.assert_allclose(looked_up(cells, curve), expected, atol=1e-5)
        np.testing.assert_allclose(looked_up(cells, GridCurve(6.0, None, 0.3, 0.4)), -0.4 * cells, rtol=1e-6)


if __name__ == "__main__":
    unittest.main()
