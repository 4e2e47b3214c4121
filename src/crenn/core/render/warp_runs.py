"""Lanczos' filter where the pixels of a window lie side by side in what is read, several places at a time.

At full size a gentle map leads most pixels of a row to the pixel after the one before; such runs are read in order.
As in `crenn.core.geometry.runs`, they are worked on in whole vectors, and the next run overwrites what lies beyond one.
"""

import numba as nb
import numpy as np

from crenn.core.disjoint import load, store
from crenn.core.geometry.runs import VECTOR, beginnings, whole

#: Taps that are not nothing, each way.
TAPS = 6
_ONE, _TWO, _THREE, _FOUR, _FIVE = (np.uint64(n) for n in range(1, 6))


@nb.njit(fastmath=True, error_model="numpy")
def runs_of(near, fresh, begins):
    """Find runs of pixels whose places follow each other, or lie outside; how many.

    ``near`` tells places as of `crenn.core.render.warp`, 0 outside; ``begins`` takes where runs begin and the last one
    ends.
    """
    count = near.size
    fresh[0] = 1
    for n in range(1, count):
        fresh[n] = near[n] != (near[n - 1] + np.uint32(1) if near[n - 1] > 0 else np.uint32(0))
    return beginnings(fresh, count, begins)


@nb.njit(fastmath=True, error_model="numpy")
def weigh(flat, at, weights):
    """Weights of the taps of places, float32 (TAPS, n), that begin ``at`` in a filter's table."""
    for n in range(at.size):
        k = np.uintp(at[n])
        for a in range(TAPS):
            weights[a, n] = flat[k + np.uintp(a)]


@nb.njit(inline="always", fastmath=True, error_model="numpy")
def _six(plane, p, x0, x1, x2, x3, x4, x5):
    return (
        (x0 * load(plane, p, 0) + x1 * load(plane, p + _ONE, 0))
        + (x2 * load(plane, p + _TWO, 0) + x3 * load(plane, p + _THREE, 0))
    ) + (x4 * load(plane, p + _FOUR, 0) + x5 * load(plane, p + _FIVE, 0))


@nb.njit(fastmath=True, error_model="numpy")
def filter_runs(plane, stride, near, runs, begins, wx, wy, overshoot, out):
    """Filter a row of places out of a plane, flat, of a stride; 0 outside, and what rings held back.

    ``out`` has a `VECTOR` more than there are places.
    """
    per, line = np.uint64(wx.shape[1]), np.uint64(stride)
    for k in range(runs):
        start, end = begins[k], begins[k + 1]
        if near[start] == 0:
            out[start:end] = 0
            continue
        # Where the first tap of the run lies, were it to begin at its row's first place.
        first = np.uint64(near[start]) - np.uint64(start) - _TWO * line - _TWO
        for n in range(np.uint64(start), whole(start, end)):
            x0, x1, x2 = load(wx, n, 0), load(wx, per + n, 0), load(wx, _TWO * per + n, 0)
            x3, x4, x5 = load(wx, _THREE * per + n, 0), load(wx, _FOUR * per + n, 0), load(wx, _FIVE * per + n, 0)
            p = first + n
            value = load(wy, n, 0) * _six(plane, p, x0, x1, x2, x3, x4, x5)
            for b in range(_ONE, np.uint64(TAPS)):
                value += load(wy, b * per + n, 0) * _six(plane, p + b * line, x0, x1, x2, x3, x4, x5)
            # What overshoots its nearest neighbours by more than a texture would is ringing.
            q = p + _TWO * line + _TWO
            one, two = load(plane, q, 0), load(plane, q + _ONE, 0)
            three, four = load(plane, q + line, 0), load(plane, q + line + _ONE, 0)
            low, high = min(min(one, two), min(three, four)), max(max(one, two), max(three, four))
            store(out, n, min(max(value, low - overshoot), high + overshoot), 1)


@nb.njit(error_model="numpy")
def room_for_runs(width):
    """Arrays for a row: weights across and down, which places begin a run, where runs begin, and a row of results."""
    size = (width + 2 * VECTOR - 1) // VECTOR * VECTOR
    wx, wy = np.zeros((TAPS, size), np.float32), np.zeros((TAPS, size), np.float32)
    return wx, wy, np.zeros(size, np.uint8), np.zeros(size + 1, np.int64), np.zeros(size, np.float32)
