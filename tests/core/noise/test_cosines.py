"""The cosine transform of blocks, against another library's."""

import unittest

import numba as nb
import numpy as np
from scipy.fft import dctn

from crenn.core.noise.cosines import add, add_back, forward

#: Of a plane, and the first row and column of a block of it.
SIZE, Y, X = (30, 41), 5, 19


@nb.njit
def _forward(plane, y, x, out, to):
    stride = np.uint64(plane.shape[1])
    forward(plane, np.uint64(y) * stride + np.uint64(x), stride, out, np.uint64(to))


@nb.njit
def _add_back(group, at, taper, plane, y, x):
    stride = np.uint64(plane.shape[1])
    add_back(group, np.uint64(at), taper, plane, np.uint64(y) * stride + np.uint64(x), stride)


@nb.njit
def _add(block, plane, y, x):
    stride = np.uint64(plane.shape[1])
    add(block, plane, np.uint64(y) * stride + np.uint64(x), stride)


class Cosines(unittest.TestCase):
    def setUp(self):
        self.rng = np.random.default_rng(11)
        self.plane = self.rng.normal(size=SIZE).astype(np.float32)
        self.block = self.plane[Y : Y + 8, X : X + 8].copy()

    def transformed(self) -> np.ndarray:
        out = np.full((3, 64), np.nan, np.float32)
        _forward(self.plane, Y, X, out, 64)
        self.assertTrue(np.isnan(out[[0, 2]]).all())
        return out

    def test_a_block_becomes_its_cosines_with_rows_and_columns_changed(self):
        np.testing.assert_allclose(
            self.transformed()[1].reshape(8, 8).T, dctn(self.block, type=2, norm="ortho"), atol=1e-5
        )

    def test_back_it_is_what_it_was_and_is_added_by_its_taper(self):
        taper = self.rng.uniform(0.5, 2, 64).astype(np.float32)
        sums = self.rng.normal(size=SIZE).astype(np.float32)
        expected = sums.copy()
        expected[Y : Y + 8, X : X + 8] += self.block * taper.reshape(8, 8)
        _add_back(self.transformed(), 64, taper, sums, Y, X)
        np.testing.assert_allclose(sums, expected, atol=1e-5)

    def test_a_block_is_added_to_its_place_alone(self):
        block, sums = np.arange(64, dtype=np.float32), np.ones(SIZE, np.float32)
        _add(block, sums, Y, X)
        expected = np.ones(SIZE, np.float32)
        expected[Y : Y + 8, X : X + 8] += block.reshape(8, 8)
        np.testing.assert_array_equal(sums, expected)

    def test_arrays_of_other_numbers_are_refused(self):
        with self.assertRaisesRegex(nb.core.errors.TypingError, "float32"):
            _forward(self.plane.astype(np.float64), Y, X, np.zeros(64, np.float32), 0)


if __name__ == "__main__":
    unittest.main()
