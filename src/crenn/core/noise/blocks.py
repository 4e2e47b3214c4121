"""Collaborative filtering of like blocks.

Blocks that look alike are stacked, transformed together and shrunk by what noise alone would give (Dabov, Foi,
Katkovnik and Egiazarian 2007, "Image denoising by sparse 3-D transform-domain collaborative filtering"), with a
spectrum of the noise in place of one deviation (Mäkinen, Azzari and Foi 2020, "Collaborative filtering of correlated
noise"). Candidates lie every other pixel apart: blocks that nearly cover each other share their noise, and noise that
is shared is not averaged away.
"""

from collections.abc import Callable

import numba as nb
import numpy as np

from crenn.core.disjoint import load, store
from crenn.core.noise.cosines import SIDE, add, add_back, forward

#: Most blocks of a group.
_MOST = 16
#: Candidates are looked for in so many columns, and so many rows up and down, each this far from the next.
_COLUMNS, _ROWS, _APART = 24, 12, 2
#: A filter looks so far from a pixel.
REACH = _ROWS + SIDE
#: Blocks that are filtered start this far apart.
STEP = 7
#: Deviations of noise below which a coefficient is taken for noise in the first pass.
_THRESHOLD = 2.7
#: The second filter of `collaborate` acts as if there were so many times the noise.
STRONGER = 2.0
#: So many blocks of a row are filtered before those of the next.
_PART = 40
#: Least side of a picture.
LEAST = 48
#: Passes of `collaborate`.
PASSES = 4

_ZERO, _ONE, _BLOCK = np.float32(0), np.float32(1), np.uint64(SIDE * SIDE)


@nb.njit(fastmath=True, error_model="numpy")
def _transformed(plane, ys, xs, n, group):
    """Transform n blocks of a plane, and across them, into a group, (n, 64)."""
    stride = np.uint64(plane.shape[1])
    for k in range(n):
        forward(plane, np.uint64(ys[k]) * stride + np.uint64(xs[k]), stride, group, np.uint64(64 * k))
    _across(group, n)


@nb.njit(fastmath=True, error_model="numpy")
def _twos(group, first, apart, scale):
    """Sums and differences of two blocks that lie ``apart``, times ``scale``, in place."""
    for j in range(first, first + _BLOCK):
        k = j + apart
        a, b = load(group, j, 0), load(group, k, 1)
        store(group, j, scale * (a + b), 0)
        store(group, k, scale * (a - b), 1)


@nb.njit(fastmath=True, error_model="numpy")
def _fours(group, first, apart, scale):
    """`_twos` of four blocks, and of what comes of it."""
    for j in range(first, first + _BLOCK):
        k, m, n = j + apart, j + np.uint64(2) * apart, j + np.uint64(3) * apart
        a, b, c, d = load(group, j, 0), load(group, k, 1), load(group, m, 2), load(group, n, 3)
        e, f, g, h = a + b, a - b, c + d, c - d
        store(group, j, scale * (e + g), 0)
        store(group, k, scale * (f + h), 1)
        store(group, m, scale * (e - g), 2)
        store(group, n, scale * (f - h), 3)


@nb.njit(fastmath=True, error_model="numpy")
def _across(group, n):
    """Walsh–Hadamard transform across the n blocks of a group, orthonormal, in place: its own inverse."""
    # Two steps at a time: half as much is read and written.
    half = 1
    while 4 * half <= n:
        apart = np.uint64(half) * _BLOCK
        for i in range(0, n, 4 * half):
            for k in range(i, i + half):
                _fours(group, np.uint64(k) * _BLOCK, apart, np.float32(0.5))
        half *= 4
    if half < n:
        for k in range(half):
            _twos(group, np.uint64(k) * _BLOCK, np.uint64(half) * _BLOCK, np.float32(np.sqrt(0.5)))


@nb.njit(fastmath=True, error_model="numpy")
def _distances(plane, y, x, v, left, line):
    """Squared differences of the block at (y, x) to those of row v from a column on."""
    for u in range(_COLUMNS):
        line[u] = _ZERO
    for i in range(8):
        row = plane[v + i, left : left + _COLUMNS + 7]
        own = plane[y + i, x : x + 8]
        r0, r1, r2, r3, r4, r5, r6, r7 = own[0], own[1], own[2], own[3], own[4], own[5], own[6], own[7]
        for u in range(_COLUMNS):
            e0, e1, e2, e3 = r0 - row[u], r1 - row[u + 1], r2 - row[u + 2], r3 - row[u + 3]
            e4, e5, e6, e7 = r4 - row[u + 4], r5 - row[u + 5], r6 - row[u + 6], r7 - row[u + 7]
            line[u] += ((e0 * e0 + e1 * e1) + (e2 * e2 + e3 * e3)) + ((e4 * e4 + e5 * e5) + (e6 * e6 + e7 * e7))


@nb.njit(fastmath=True, error_model="numpy")
def _matched(plane, y, x, ys, xs, ds, line):
    """Places of the blocks most like the one at (y, x), itself first; how many, a power of two."""
    height, width = plane.shape
    ys[0], xs[0], ds[0] = y, x, np.float32(-1)
    count = 1
    last = np.float32(np.inf)
    left = min(max(x - _COLUMNS // 2, 0), width - _COLUMNS - 7)
    first = max(y - _ROWS, y % _APART)
    for v in range(first, min(y + _ROWS, height - 8) + 1, _APART):
        _distances(plane, y, x, v, left, line)
        for u in range((x - left) % _APART, _COLUMNS, _APART):
            d = line[u]
            if d >= last or (v == y and u + left == x):
                continue
            k = min(count, _MOST - 1)
            count = min(count + 1, _MOST)
            while ds[k - 1] > d:
                ds[k], ys[k], xs[k] = ds[k - 1], ys[k - 1], xs[k - 1]
                k -= 1
            ds[k], ys[k], xs[k] = d, v, u + left
            if count == _MOST:
                last = ds[_MOST - 1]
    n = 1
    while 2 * n <= count:
        n *= 2
    return n


@nb.njit(fastmath=True, error_model="numpy")
def _kept(group, n, variance, left):
    """Coefficients of a group that noise alone would hardly give, in place; the variance that they keep."""
    least, own = np.float32(_THRESHOLD**2), group[0, 0]
    left[:] = 0
    for k in range(np.uint64(n)):
        for i in range(_BLOCK):
            m = k * _BLOCK + i
            a, v = load(group, m, 0), load(variance, i, 1)
            keep = _ONE if a * a > least * v else _ZERO
            store(group, m, a * keep, 0)
            store(left, i, load(left, i, 2) + keep * v, 2)
    # Their mean stays in any case.
    if group[0, 0] == _ZERO:
        group[0, 0] = own
        left[0] += variance[0]
    return left.sum()


@nb.njit(fastmath=True, error_model="numpy")
def _shrunk(group, like, n, variance, stronger, less, left, left_less):
    """Shrink a group's coefficients as Wiener's filter does by those of a like one, as if there were more noise, too.

    ``group`` is shrunk in place and ``less`` filled; the variances that they keep.
    """
    left[:], left_less[:] = 0, 0
    for k in range(np.uint64(n)):
        for i in range(_BLOCK):
            m = k * _BLOCK + i
            a, b, v = load(group, m, 0), load(like, m, 1), load(variance, i, 2)
            # Kept from becoming so small that processors grow slow.
            energy = b * b + np.float32(1e-12)
            share, lesser = energy / (energy + v), energy / (energy + stronger * v)
            store(group, m, a * share, 0)
            store(less, m, a * lesser, 3)
            store(left, i, load(left, i, 4) + share * share * v, 4)
            store(left_less, i, load(left_less, i, 5) + lesser * lesser * v, 5)
    return left.sum(), left_less.sum()


@nb.njit(fastmath=True, error_model="numpy")
def _put(group, n, ys, xs, weight, window, work, summed, weights):
    """Transform a group back and add its blocks, weighted, to where they belong."""
    _across(group, n)
    for i in range(64):
        work[i] = weight * window[i]
    stride = np.uint64(summed.shape[1])
    for k in range(n):
        to = np.uint64(ys[k]) * stride + np.uint64(xs[k])
        add_back(group, np.uint64(64 * k), work, summed, to, stride)
        add(work, weights, to, stride)


@nb.njit(fastmath=True, error_model="numpy")
def _filter_around(noisy, pilot, told, y, x, room, window, out, weights):
    """Filter the blocks like the one at (y, x), and add them to where they belong."""
    ys, xs, ds, line, group, like, more, work, left = room
    second = pilot.shape[1] > 0
    n = _matched(pilot[0] if second else noisy[0], y, x, ys, xs, ds, line)
    for c in range(len(noisy)):
        variance = told[c, (y + 4) // 8, (x + 4) // 8]
        _transformed(noisy[c], ys, xs, n, group)
        if second:
            _transformed(pilot[c], ys, xs, n, like)
            by = np.float32(STRONGER**2), more, left[0], left[1]
            kept, kept_more = _shrunk(group, like, n, variance, *by)
            weight = _ONE / max(kept_more, np.float32(1e-9))
            _put(more, n, ys, xs, weight, window, work, out[1, c], weights[1, c])
        else:
            kept = _kept(group, n, variance, left[0])
        weight = _ONE / max(kept, np.float32(1e-9))
        _put(group, n, ys, xs, weight, window, work, out[0, c], weights[0, c])


@nb.njit(parallel=True, cache=True, nogil=True, fastmath=True, error_model="numpy")
def _filter(noisy, pilot, told, first, window, strip, parity, out, weights):
    """One pass over every other strip of rows, so that no two that run side by side write to the same.

    Without a pilot, (3, 0, 0), coefficients are kept or not; with one they are shrunk as Wiener's filter does.
    """
    _, height, width = noisy.shape
    rows = (height - 8 - first[0] + STEP - 1) // STEP + 1
    columns = (width - 8 - first[1] + STEP - 1) // STEP + 1
    strips = (rows + strip - 1) // strip
    for s in nb.prange((strips - parity + 1) // 2):
        ys, xs = np.empty(_MOST, np.int64), np.empty(_MOST, np.int64)
        ds, line = np.empty(_MOST, np.float32), np.empty(_COLUMNS, np.float32)
        group, like = np.empty((_MOST, 64), np.float32), np.empty((_MOST, 64), np.float32)
        more, work, left = np.empty((_MOST, 64), np.float32), np.empty(64, np.float32), np.empty((2, 64), np.float32)
        room = ys, xs, ds, line, group, like, more, work, left
        begin = (2 * s + parity) * strip
        # In parts so narrow that what they read and write stays in the processor's cache.
        for part in range((columns + _PART - 1) // _PART * strip):
            row, start = begin + part % strip, part // strip * _PART
            if row >= rows:
                continue
            y = min(first[0] + row * STEP, height - 8)
            for column in range(start, min(start + _PART, columns)):
                x = min(first[1] + column * STEP, width - 8)
                _filter_around(noisy, pilot, told, y, x, room, window, out, weights)


def collaborate(
    noisy: np.ndarray,
    variance: np.ndarray,
    origin: tuple[int, int] = (0, 0),
    passed: Callable[[], None] = lambda: None,
) -> tuple[np.ndarray, np.ndarray]:
    """Free planes of noise whose spectrum is known: as strong as it is, and as if there were twice as much.

    Parameters
    ----------
    noisy : ndarray, float32 (3, H, W)
        The first is what blocks are matched by. H and W at least `LEAST`.
    variance : ndarray, float32 (3, ≥ H // 8 + 1, ≥ W // 8 + 1, 64)
        Variance that noise gives the coefficients of a block, for cells of 8 × 8 pixels.
    origin : tuple of int
        Row and column of the whole picture that the planes start at: parts of a picture are filtered at the same
        blocks as the whole.
    passed : callable
        Called after each of `PASSES` passes; may raise.

    Returns
    -------
    clean, stronger : ndarray, float32 (3, H, W)

    Raises
    ------
    ValueError
        If the planes are too small, or the variances do not fit them.
    """
    channels, height, width = noisy.shape
    if channels != 3 or min(height, width) < LEAST:
        raise ValueError(f"three planes of at least {LEAST} pixels each way are needed, not {noisy.shape}")
    cells = variance.shape[1:3]
    if variance.shape[::3] != (3, 64) or cells[0] < height // 8 + 1 or cells[1] < width // 8 + 1:
        raise ValueError(f"variances of shape {variance.shape} do not cover planes of shape {noisy.shape}")
    taper = np.kaiser(8, 2.0).astype(np.float32)
    window = np.outer(taper, taper).ravel()
    first = np.array([-origin[0] % STEP, -origin[1] % STEP], np.int64)
    # Strips are as high as a filter writes, so that every other one is free of the rest.
    strip = -(-(2 * _ROWS + SIDE) // STEP) + 1
    pilot = np.empty((3, 0, 0), np.float32)
    found = noisy[None]
    for results in (1, 2):
        out = np.zeros((results, *noisy.shape), np.float32)
        weights = np.zeros_like(out)
        for parity in (0, 1):
            _filter(noisy, pilot, variance, first, window, strip, parity, out, weights)
            passed()
        found = np.divide(out, weights, out=out, where=weights > 0)
        np.copyto(found, noisy, where=weights <= 0)
        pilot = found[0]
    return found[0], found[1]


@nb.njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
def _coefficients(planes, out):
    """Coefficients of blocks a few pixels apart, out float32 (C, rows, columns, 64)."""
    stride, to = np.uint64(planes.shape[2]), np.uint64(0)
    for c in range(planes.shape[0]):
        for row in range(out.shape[1]):
            for column in range(out.shape[2]):
                at = np.uint64((c * planes.shape[1] + row * STEP) * planes.shape[2] + column * STEP)
                forward(planes, at, stride, out, to)
                to += np.uint64(64)


def coefficients(planes: np.ndarray) -> np.ndarray:
    """Coefficients of blocks `STEP` pixels apart, float32 (C, rows, columns, 64), of planes (C, H, W)."""
    height, width = planes.shape[1:]
    out = np.empty((len(planes), (height - 8) // STEP + 1, (width - 8) // STEP + 1, 64), np.float32)
    _coefficients(np.ascontiguousarray(planes, np.float32), out)
    return out


def energies(planes: np.ndarray) -> np.ndarray:
    """Squares of `coefficients`."""
    out = coefficients(planes)
    return np.square(out, out=out)


def spectrum_of(noise: np.ndarray) -> np.ndarray:
    """Variance that noise gives each coefficient of a block, float32 (3, 64); of planes of noise alone, (3, H, W)."""
    return np.asarray(energies(noise).mean((1, 2), dtype=np.float64), np.float32)
