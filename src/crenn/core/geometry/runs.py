"""Lanczos' filter along runs: places of every second pixel of a row whose neighbours lie side by side.

A mosaic's sites of one colour are every second pixel of a row. Where a gentle mesh leads them lies every second pixel
of a row of another picture, for as long as the mesh's turn does not lead to the next row. If that picture's even and
odd columns are kept apart, such a run reads memory in order, and compilers take several places at a time.

Runs are short where a picture is turned: they are worked on in whole vectors, and what lies beyond a run's end is left
to the next one to overwrite. Arrays are longer by as much.
"""

import numba as nb
import numpy as np

from crenn.core.disjoint import load, store
from crenn.core.fastmath import NAN_SAFE
from crenn.core.geometry.lanczos import PHASES, TAPS
from crenn.core.geometry.mapping import STEP

#: Pictures with columns apart have so many more rows and columns to each side.
SIDE = 4
#: Places that are worked on at a time.
VECTOR = 8
#: Indices of runs are unsigned: signed ones may be meant from an array's end, which keeps loops from being vectorised.
_1, _2, _3, _4, _5, _6 = (np.uint64(n) for n in range(1, 7))


@nb.njit(error_model="numpy")
def set_apart(line, width, even, odd):
    """Even and odd columns of ``width`` pixels that begin `SIDE` into ``line``; the outermost are repeated."""
    line[:SIDE], line[SIDE + width :] = line[SIDE], line[SIDE + width - 1]
    for n in range(np.uint64(len(even))):
        even[n], odd[n] = line[_2 * n], line[_2 * n + _1]


@nb.njit(parallel=True, cache=True, nogil=True, fastmath=NAN_SAFE, error_model="numpy")
def _apart(picture, out):
    height, width, channels = picture.shape
    for y in nb.prange(out.shape[2]):
        line = np.empty(2 * out.shape[3], np.float32)
        row = min(max(np.int64(y) - SIDE, 0), height - 1)
        for c in range(channels):
            for x in range(width):
                line[x + SIDE] = picture[row, x, c]
            set_apart(line, width, out[c, 0, y], out[c, 1, y])


def room_apart(channels: int, height: int, width: int) -> np.ndarray:
    """Room for a picture's columns apart, not filled, as of `columns_apart`."""
    return np.empty((channels, 2, height + 2 * SIDE, (width + 1) // 2 + SIDE + VECTOR), np.float32)


def columns_apart(picture: np.ndarray) -> np.ndarray:
    """A picture as `interpolate_run` reads it.

    Parameters
    ----------
    picture : ndarray, float32 (h, w, C)

    Returns
    -------
    ndarray, float32 (C, 2, h + 2 SIDE, (w + 1) // 2 + SIDE + VECTOR)
        Even and odd columns, the outermost rows and columns repeated.
    """
    height, width, channels = picture.shape
    out = room_apart(channels, height, width)
    _apart(picture, out)
    return out


@nb.njit(error_model="numpy")
def room(most):
    """Arrays for places of a row: their rows and columns, the parts beyond, weights of taps down and across, where runs
    begin, and which places begin one."""
    # What lies beyond the last place is worked on too: it must be numbers.
    size = (most + 2 * VECTOR - 1) // VECTOR * VECTOR
    whole, beyond = np.zeros((2, size), np.int32), np.zeros((2, size), np.float32)
    weights = np.zeros((2, TAPS, size), np.float32)
    begins, fresh = np.zeros(size + 1, np.int64), np.zeros(size, np.uint8)
    return whole[0], whole[1], beyond[0], beyond[1], weights[0], weights[1], begins, fresh


@nb.njit(fastmath=NAN_SAFE, error_model="numpy")
def along(nodes, y, x0, above, count, places):
    """Where every second pixel of row ``y`` from ``x0`` on maps to, ``count`` of them, and how many runs they are.

    Rows count from ``above`` on. Whole rows and columns, the parts beyond, and where runs begin and the last one ends,
    are filled into ``places``, from `room`.
    """
    row, column, down, right, _, _, begins, fresh = places
    i = y // STEP
    fy = (y - i * STEP) / STEP
    n = 0
    while n < count:
        j = (x0 + 2 * n) // STEP
        sx, sy = (
            (1 - fy) * nodes[i, j, 0] + fy * nodes[i + 1, j, 0],
            (1 - fy) * nodes[i, j, 1] + fy * nodes[i + 1, j, 1],
        )
        ex = ((1 - fy) * nodes[i, j + 1, 0] + fy * nodes[i + 1, j + 1, 0] - sx) / STEP
        ey = ((1 - fy) * nodes[i, j + 1, 1] + fy * nodes[i + 1, j + 1, 1] - sy) / STEP
        end = min(count, n + ((j + 1) * STEP - x0 - 2 * n + 1) // 2)
        from_x, from_y = sx + ex * (x0 - j * STEP), sy + ey * (x0 - j * STEP) - above
        for m in range(np.uint64(n), np.uint64(end)):
            # Whole numbers of 64 bits do not become fractions several at a time.
            at = np.float64(np.int32(m))
            px, py = from_x + 2 * ex * at, from_y + 2 * ey * at
            qx, qy = np.floor(px), np.floor(py)
            column[m], row[m] = np.int32(qx), np.int32(qy)
            right[m], down[m] = np.float32(px - qx), np.float32(py - qy)
        n = end
    return _runs(row, column, count, begins, fresh)


@nb.njit(error_model="numpy")
def beginnings(fresh, count, begins):
    """Where runs begin, and where the last of ``count`` places ends, into ``begins``; how many.

    ``fresh``, uint8 and as long as some whole eights, is 1 where a place begins a run.
    """
    runs, eights = 0, fresh.view(np.uint64)
    for k in range((count + 7) // 8):
        if eights[k]:
            for n in range(8 * k, min(8 * k + 8, count)):
                if fresh[n]:
                    begins[runs] = n
                    runs += 1
    begins[runs] = count
    return runs


@nb.njit(fastmath=NAN_SAFE, error_model="numpy")
def _runs(row, column, count, begins, fresh):
    """Find the runs in which places lie side by side in one row."""
    fresh[0] = 1
    for n in range(1, count):
        fresh[n] = (row[n] != row[n - 1]) | (column[n] - column[n - 1] != 2)
    return beginnings(fresh, count, begins)


@nb.njit(inline="always", error_model="numpy")
def whole(lo, hi):
    """The end of a run from ``lo``, once ``hi`` is moved on to a whole vector; both unsigned."""
    return np.uint64(lo) + ((np.uint64(hi) - np.uint64(lo) + np.uint64(VECTOR - 1)) >> _3 << _3)


@nb.njit(fastmath=NAN_SAFE, error_model="numpy")
def weigh_taps(taps, beyond, weights):
    """Weights, (TAPS, n), of six neighbours of places that lie ``beyond`` the third of them, from `lanczos`."""
    for n in range(len(beyond)):
        # A place that is no number has none.
        p = min(max(int(beyond[n] * PHASES + 0.5), 0), PHASES)
        for a in range(TAPS):
            weights[a, n] = taps[p, a]


@nb.njit(inline="always", fastmath=NAN_SAFE, error_model="numpy")
def _six(even, odd, n, m, x0, x1, x2, x3, x4, x5):
    """Six neighbours in a row, weighted; every second one lies in another plane."""
    return (
        (x0 * load(even, n, 0) + x1 * load(odd, m, 0))
        + (x2 * load(even, n + _1, 0) + x3 * load(odd, m + _1, 0))
        + (x4 * load(even, n + _2, 0) + x5 * load(odd, m + _2, 0))
    )


@nb.njit(fastmath=NAN_SAFE, error_model="numpy")
def interpolate_run(planes, i, j, wy, wx, lo, hi, out):
    """A channel of a picture at every second column, from ``j + 2 lo`` on of row ``i``, interpolated.

    ``planes`` are those of a channel from `columns_apart`; ``j + 2 n`` is the column of place ``n``, of which those
    from ``lo`` to ``hi``, and up to a `VECTOR` beyond, are filled into ``out``.
    """
    q = j - TAPS // 2 + 1 + SIDE
    even, odd = planes[q & 1], planes[1 - (q & 1)]
    per, line = np.uint64(wx.shape[1]), np.uint64(even.shape[1])
    row = np.uint64(i - TAPS // 2 + 1 + SIDE) * line
    p, q = row + np.uint64(q >> 1), row + np.uint64((q + 1) >> 1)
    for n in range(np.uint64(lo), whole(lo, hi)):
        x0, x1, x2 = load(wx, n, 0), load(wx, per + n, 0), load(wx, _2 * per + n, 0)
        x3, x4, x5 = load(wx, _3 * per + n, 0), load(wx, _4 * per + n, 0), load(wx, _5 * per + n, 0)
        told = load(wy, n, 0) * _six(even, odd, n + p, n + q, x0, x1, x2, x3, x4, x5)
        for k in range(_1, _6):
            # Written out by compilers, for there are six.
            y = load(wy, k * per + n, 0)
            told += y * _six(even, odd, n + p + k * line, n + q + k * line, x0, x1, x2, x3, x4, x5)
        store(out, n, told, 1)
