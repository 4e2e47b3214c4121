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

#: Side of a block, and most blocks of a group.
SIDE, _MOST = 8, 16
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

_C0, _C1, _C2, _C3, _C4, _C5, _C6, _C7 = (
    np.float32(np.sqrt(0.125) if k == 0 else 0.5 * np.cos(k * np.pi / 16)) for k in range(8)
)
_ZERO, _ONE = np.float32(0), np.float32(1)


@nb.njit(fastmath=True, error_model="numpy")
def _cosines(a):
    """Cosine transform of type 2 down the columns of a block, float32 (64,), in place."""
    for j in range(8):
        x0, x1, x2, x3 = a[j], a[8 + j], a[16 + j], a[24 + j]
        x4, x5, x6, x7 = a[32 + j], a[40 + j], a[48 + j], a[56 + j]
        s0, s1, s2, s3 = x0 + x7, x1 + x6, x2 + x5, x3 + x4
        d0, d1, d2, d3 = x0 - x7, x1 - x6, x2 - x5, x3 - x4
        e0, e1, g0, g1 = s0 + s3, s1 + s2, s0 - s3, s1 - s2
        a[j] = _C0 * (e0 + e1)
        a[8 + j] = _C1 * d0 + _C3 * d1 + _C5 * d2 + _C7 * d3
        a[16 + j] = _C2 * g0 + _C6 * g1
        a[24 + j] = _C3 * d0 - _C7 * d1 - _C1 * d2 - _C5 * d3
        a[32 + j] = _C4 * (e0 - e1)
        a[40 + j] = _C5 * d0 - _C1 * d1 + _C7 * d2 + _C3 * d3
        a[48 + j] = _C6 * g0 - _C2 * g1
        a[56 + j] = _C7 * d0 - _C5 * d1 + _C3 * d2 - _C1 * d3


@nb.njit(fastmath=True, error_model="numpy")
def _cosines_back(a):
    for j in range(8):
        y0, y1, y2, y3 = a[j], a[8 + j], a[16 + j], a[24 + j]
        y4, y5, y6, y7 = a[32 + j], a[40 + j], a[48 + j], a[56 + j]
        p, q = _C0 * y0 + _C4 * y4, _C0 * y0 - _C4 * y4
        u, v = _C2 * y2 + _C6 * y6, _C6 * y2 - _C2 * y6
        e0, e1, e2, e3 = p + u, q + v, q - v, p - u
        o0 = _C1 * y1 + _C3 * y3 + _C5 * y5 + _C7 * y7
        o1 = _C3 * y1 - _C7 * y3 - _C1 * y5 - _C5 * y7
        o2 = _C5 * y1 - _C1 * y3 + _C7 * y5 + _C3 * y7
        o3 = _C7 * y1 - _C5 * y3 + _C3 * y5 - _C1 * y7
        a[j], a[56 + j] = e0 + o0, e0 - o0
        a[8 + j], a[48 + j] = e1 + o1, e1 - o1
        a[16 + j], a[40 + j] = e2 + o2, e2 - o2
        a[24 + j], a[32 + j] = e3 + o3, e3 - o3


@nb.njit(fastmath=True, error_model="numpy")
def _turned(a, t):
    for i in range(8):
        for j in range(8):
            t[j * 8 + i] = a[i * 8 + j]


@nb.njit(fastmath=True, error_model="numpy")
def _forward(group, n, work):
    """Cosine transform of blocks, (n, 64); a block's rows and columns change places."""
    for k in range(n):
        a = group[k]
        _cosines(a)
        _turned(a, work)
        _cosines(work)
        for i in range(64):
            a[i] = work[i]


@nb.njit(fastmath=True, error_model="numpy")
def _backward(group, n, work):
    for k in range(n):
        a = group[k]
        _cosines_back(a)
        _turned(a, work)
        _cosines_back(work)
        for i in range(64):
            a[i] = work[i]


@nb.njit(fastmath=True, error_model="numpy")
def _across(group, n):
    """Walsh–Hadamard transform across the n blocks of a group, orthonormal, in place: its own inverse."""
    half = 1
    while half < n:
        for i in range(0, n, 2 * half):
            for k in range(i, i + half):
                a, b = group[k], group[k + half]
                for j in range(64):
                    u, v = a[j], b[j]
                    a[j], b[j] = u + v, u - v
        half *= 2
    scale = _ONE / np.sqrt(np.float32(n))
    for k in range(n):
        a = group[k]
        for j in range(64):
            a[j] *= scale


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


# Eight values at a time are read before any is written: the compiler then needs not fear that they overlap.


@nb.njit(fastmath=True, error_model="numpy")
def _read(plane, v, u, a):
    for i in range(8):
        r = plane[v + i, u : u + 8]
        q0, q1, q2, q3, q4, q5, q6, q7 = r[0], r[1], r[2], r[3], r[4], r[5], r[6], r[7]
        k = i * 8
        a[k], a[k + 1], a[k + 2], a[k + 3] = q0, q1, q2, q3
        a[k + 4], a[k + 5], a[k + 6], a[k + 7] = q4, q5, q6, q7


@nb.njit(fastmath=True, error_model="numpy")
def _added(summed, v, u, a):
    for i in range(8):
        r = summed[v + i, u : u + 8]
        k = i * 8
        n0, n1, n2, n3 = r[0] + a[k], r[1] + a[k + 1], r[2] + a[k + 2], r[3] + a[k + 3]
        n4, n5, n6, n7 = r[4] + a[k + 4], r[5] + a[k + 5], r[6] + a[k + 6], r[7] + a[k + 7]
        r[0], r[1], r[2], r[3], r[4], r[5], r[6], r[7] = n0, n1, n2, n3, n4, n5, n6, n7


@nb.njit(fastmath=True, error_model="numpy")
def _put(group, n, ys, xs, weight, window, work, summed, weights):
    """Transform a group back and add its blocks, weighted, to where they belong."""
    _across(group, n)
    _backward(group, n, work)
    for i in range(64):
        work[i] = weight * window[i]
    for k in range(n):
        a = group[k]
        for i in range(64):
            a[i] *= work[i]
        _added(summed, ys[k], xs[k], a)
        _added(weights, ys[k], xs[k], work)


@nb.njit(parallel=True, cache=True, nogil=True, fastmath=True, error_model="numpy")
def _filter(noisy, pilot, told, first, window, strip, parity, out, weights):
    """One pass over every other strip of rows, so that no two that run side by side write to the same.

    Without a pilot, (3, 0, 0), coefficients are kept or not; with one they are shrunk as Wiener's filter does.
    """
    channels, height, width = noisy.shape
    second = pilot.shape[1] > 0
    rows = (height - 8 - first[0] + STEP - 1) // STEP + 1
    columns = (width - 8 - first[1] + STEP - 1) // STEP + 1
    strips = (rows + strip - 1) // strip
    for s in nb.prange((strips - parity + 1) // 2):
        ys, xs = np.empty(_MOST, np.int64), np.empty(_MOST, np.int64)
        ds, line = np.empty(_MOST, np.float32), np.empty(_COLUMNS, np.float32)
        group, like = np.empty((_MOST, 64), np.float32), np.empty((_MOST, 64), np.float32)
        more = np.empty((_MOST, 64), np.float32)
        work = np.empty(64, np.float32)
        begin = (2 * s + parity) * strip
        # In parts so narrow that what they read and write stays in the processor's cache.
        for part in range((columns + _PART - 1) // _PART * strip):
            row, start = begin + part % strip, part // strip * _PART
            if row >= rows:
                continue
            y = min(first[0] + row * STEP, height - 8)
            for column in range(start, min(start + _PART, columns)):
                x = min(first[1] + column * STEP, width - 8)
                n = _matched(pilot[0] if second else noisy[0], y, x, ys, xs, ds, line)
                for c in range(channels):
                    variance = told[c, (y + 4) // 8, (x + 4) // 8]
                    for k in range(n):
                        _read(noisy[c], ys[k], xs[k], group[k])
                    _forward(group, n, work)
                    _across(group, n)
                    kept = _ZERO
                    if not second:
                        least = np.float32(_THRESHOLD**2)
                        mean = group[0, 0]
                        for k in range(n):
                            a = group[k]
                            for i in range(64):
                                keep = _ONE if a[i] * a[i] > least * variance[i] else _ZERO
                                a[i] *= keep
                                kept += keep * variance[i]
                        if group[0, 0] == _ZERO:
                            group[0, 0] = mean
                            kept += variance[0]
                        _put(
                            group, n, ys, xs, _ONE / max(kept, np.float32(1e-9)), window, work, out[0, c], weights[0, c]
                        )
                        continue
                    for k in range(n):
                        _read(pilot[c], ys[k], xs[k], like[k])
                    _forward(like, n, work)
                    _across(like, n)
                    stronger, kept_more = np.float32(STRONGER**2), _ZERO
                    for k in range(n):
                        a, b, d = group[k], like[k], more[k]
                        for i in range(64):
                            # Kept from becoming so small that processors grow slow.
                            energy = b[i] * b[i] + np.float32(1e-12)
                            share = energy / (energy + variance[i])
                            less = energy / (energy + stronger * variance[i])
                            d[i] = a[i] * less
                            a[i] *= share
                            kept += share * share * variance[i]
                            kept_more += less * less * variance[i]
                    _put(group, n, ys, xs, _ONE / max(kept, np.float32(1e-9)), window, work, out[0, c], weights[0, c])
                    _put(
                        more, n, ys, xs, _ONE / max(kept_more, np.float32(1e-9)), window, work, out[1, c], weights[1, c]
                    )


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
    block, work = np.empty((1, 64), np.float32), np.empty(64, np.float32)
    for c in range(planes.shape[0]):
        for row in range(out.shape[1]):
            for column in range(out.shape[2]):
                _read(planes[c], row * STEP, column * STEP, block[0])
                _forward(block, 1, work)
                out[c, row, column] = block[0]


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
