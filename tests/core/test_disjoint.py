"""Loads and stores of arrays that share no memory."""

import unittest

import numba as nb
import numpy as np

from crenn.core.disjoint import load, store


@nb.njit
def _summed(planes, out, first):
    """Add up planes, (k, n), as if they had one axis, in place."""
    width = np.uint64(planes.shape[1])
    for k in range(np.uint64(planes.shape[0])):
        for n in range(np.uint64(first), width):
            store(out, n, load(out, n, 1) + load(planes, k * width + n, 0), 1)


@nb.njit
def _numbered(values, out, number):
    store(out, np.uint64(0), load(values, np.uint64(0), number), 1)


@nb.njit
def _beyond(values, out):
    store(out, np.uint64(0), load(values, np.uint64(0), 8), 1)


class Disjoint(unittest.TestCase):
    def test_what_was_stored_is_loaded_again_at_any_length(self):
        rng = np.random.default_rng(8)
        for width in (1, 7, 8, 9, 40, 333):
            planes, before = rng.random((5, width), dtype=np.float32), rng.random(width, dtype=np.float32)
            out = before.copy()
            _summed(planes, out, 1)
            np.testing.assert_allclose(out[1:], (before + planes.sum(0))[1:], rtol=1e-6)
            self.assertEqual(out[0], before[0])

    def test_numbers_that_are_not_written_out_or_too_high_are_refused(self):
        values = np.ones(3, np.float32)
        for kernel, more in ((_numbered, (0,)), (_beyond, ())):
            with self.assertRaisesRegex(nb.core.errors.TypingError, "number must be written out"):
                kernel(values, np.zeros(3, np.float32), *more)

    def test_arrays_in_pieces_are_refused(self):
        with self.assertRaisesRegex(nb.core.errors.TypingError, "in one piece"):
            _summed(np.ones((4, 6), np.float32)[:, ::2], np.zeros(3, np.float32), 0)


if __name__ == "__main__":
    unittest.main()
