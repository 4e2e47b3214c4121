"""Lanczos' filter along runs: places of every second pixel of a row whose neighbours lie side by side.

A mosaic's sites of one colour are every second pixel of a row. Where a gentle mesh leads them lies every second pixel
of a row of another picture, for as long as the mesh's turn does not lead to the next row. If that picture's even and
odd columns are kept apart, such a run reads memory in order, and compilers take several places at a time.
"""

import numba as nb
import numpy as np

from crenn.core.fastmath import NAN_SAFE
from crenn.core.geometry.mapping import STEP
from crenn.core.geometry.resample import PHASES, TAPS

#: Pictures with columns apart have so many more rows and columns to each side.
SIDE = 4
#: Indices of runs are unsigned: signed ones may be meant from an array's end, which keeps loops from being vectorised.
_0, _1, _2, _3, _4, _5 = (np.uint64(n) for n in range(6))


@nb.njit(parallel=True, cache=True, nogil=True, fastmath=NAN_SAFE, error_model="numpy")
def _apart(picture, out):
    height, width, channels = picture.shape
    for y in nb.prange(out.shape[2]):
        line = np.empty(2 * out.shape[3], np.float32)
        row = min(max(np.int64(y) - SIDE, 0), height - 1)
        for c in range(channels):
            for x in range(width):
                line[x + SIDE] = picture[row, x, c]
            line[:SIDE], line[SIDE + width :] = line[SIDE], line[SIDE + width - 1]
            out[c, 0, y], out[c, 1, y] = line[::2], line[1::2]


def columns_apart(picture: np.ndarray) -> np.ndarray:
    """A picture as `interpolate_run` reads it.

    Parameters
    ----------
    picture : ndarray, float32 (h, w, C)

    Returns
    -------
    ndarray, float32 (C, 2, h + 2 SIDE, (w + 1) // 2 + SIDE)
        Even and odd columns, the outermost rows and columns repeated.
    """
    height, width, channels = picture.shape
    out = np.empty((channels, 2, height + 2 * SIDE, (width + 1) // 2 + SIDE), np.float32)
    _apart(picture, out)
    return out


@nb.njit(error_model="numpy")
def room(most):
    """Arrays for places of a row: their rows and columns, the parts beyond, and weights of taps down and across."""
    whole, beyond = np.empty((2, most), np.int32), np.empty((2, most), np.float32)
    weights = np.empty((2, TAPS, most), np.float32)
    return whole[0], whole[1], beyond[0], beyond[1], weights[0], weights[1]


@nb.njit(fastmath=NAN_SAFE, error_model="numpy")
def along(nodes, y, x0, above, row, column, down, right):
    """Where every second pixel of row ``y`` from ``x0`` on maps to: whole rows and columns, and the parts beyond.

    Rows count from ``above`` on.
    """
    i = y // STEP
    fy = (y - i * STEP) / STEP
    count = len(row)
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
        for m in range(n, end):
            px, py = from_x + 2 * ex * m, from_y + 2 * ey * m
            qx, qy = np.floor(px), np.floor(py)
            column[m], row[m] = np.int32(qx), np.int32(qy)
            right[m], down[m] = np.float32(px - qx), np.float32(py - qy)
        n = end


@nb.njit(fastmath=NAN_SAFE, error_model="numpy")
def run_end(row, column, start, end):
    """The end of the run from ``start`` on in which places lie side by side in one row."""
    n = start + 1
    while n < end and row[n] == row[start] and column[n] - 2 * n == column[start] - 2 * start:
        n += 1
    return n


@nb.njit(fastmath=NAN_SAFE, error_model="numpy")
def weigh_taps(taps, beyond, weights):
    """Weights, (TAPS, n), of six neighbours of places that lie ``beyond`` the third of them, from `lanczos`."""
    for n in range(len(beyond)):
        p = int(beyond[n] * PHASES + 0.5)
        for a in range(TAPS):
            weights[a, n] = taps[p, a]


@nb.njit(inline="always", fastmath=NAN_SAFE, error_model="numpy")
def _six(even, odd, i, n, m, x0, x1, x2, x3, x4, x5):
    """Six neighbours in a row, weighted; every second one lies in another plane."""
    return ((x0 * even[i, n] + x1 * odd[i, m]) + (x2 * even[i, n + _1] + x3 * odd[i, m + _1])) + (
        x4 * even[i, n + _2] + x5 * odd[i, m + _2]
    )


@nb.njit(fastmath=NAN_SAFE, error_model="numpy")
def interpolate_run(planes, i, j, wy, wx, lo, hi, out):
    """A channel of a picture at every second column, from ``j + 2 lo`` on of row ``i``, interpolated.

    ``planes`` are those of a channel from `columns_apart`; ``j + 2 n`` is the column of place ``n``, of which those
    from ``lo`` to ``hi`` are filled into ``out``.
    """
    q = j - TAPS // 2 + 1 + SIDE
    even, odd = planes[q & 1], planes[1 - (q & 1)]
    r, p, q = np.uint64(i - TAPS // 2 + 1 + SIDE), np.uint64(q >> 1), np.uint64((q + 1) >> 1)
    for n in range(np.uint64(lo), np.uint64(hi)):
        x0, x1, x2, x3, x4, x5 = wx[_0, n], wx[_1, n], wx[_2, n], wx[_3, n], wx[_4, n], wx[_5, n]
        out[n] = (
            wy[_0, n] * _six(even, odd, r, n + p, n + q, x0, x1, x2, x3, x4, x5)
            + wy[_1, n] * _six(even, odd, r + _1, n + p, n + q, x0, x1, x2, x3, x4, x5)
            + wy[_2, n] * _six(even, odd, r + _2, n + p, n + q, x0, x1, x2, x3, x4, x5)
            + wy[_3, n] * _six(even, odd, r + _3, n + p, n + q, x0, x1, x2, x3, x4, x5)
            + wy[_4, n] * _six(even, odd, r + _4, n + p, n + q, x0, x1, x2, x3, x4, x5)
            + wy[_5, n] * _six(even, odd, r + _5, n + p, n + q, x0, x1, x2, x3, x4, x5)
        )
