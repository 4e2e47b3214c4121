"""What sites of moved frames say around each place of a picture, gathered from all of them at once.

A row is gathered from frame after frame before the next is begun: what is added to stays near the processor.
"""

import numba as nb
import numpy as np

from crenn.core.disjoint import load, store
from crenn.core.fastmath import NAN_SAFE, exp2
from crenn.core.geometry.runs import VECTOR, along, room, whole
from crenn.core.mosaic.residuals import GREEN, OFF, PAD, TOLD

#: Sites of so many rows above a place, and columns before it, are gathered, and of one more beyond: six of each, three
#: of either parity.
REACH = 2
_LOG2_E = np.float32(np.log2(np.e))
#: Weights are no smaller, that the product of four is a normal number; it slows reckoning down by twenty times if not.
_LEAST = np.float32(1e-9)
#: Indices of runs are unsigned, as in `crenn.core.geometry.runs`.
_1, _2 = np.uint64(1), np.uint64(2)


@nb.njit(fastmath=NAN_SAFE, error_model="numpy")
def _weigh(beyond, deviation, weights):
    """Weights exp(-d² / 2 deviation²) of six sites about places that lie ``beyond`` the third of them."""
    factor = np.float32(-0.5) / (deviation * deviation) * _LOG2_E
    # The square of (a - d) is three terms: two exponentials make all six weights.
    middle, step, back = weights[REACH], weights[2 * REACH + 1], weights[0]
    for n in range(len(beyond)):
        by = exp2(np.float32(-2) * factor * beyond[n])
        middle[n], step[n], back[n] = exp2(factor * beyond[n] * beyond[n]), by, np.float32(1) / by
    for a in range(REACH):
        here, last = weights[REACH - a - 1], weights[REACH - a]
        by = exp2(factor * np.float32(2 * a + 1))
        for n in range(len(beyond)):
            here[n] = max(last[n] * by * back[n], _LEAST)
    for a in range(REACH + 1):
        here, last = weights[REACH + a + 1], weights[REACH + a]
        by = exp2(factor * np.float32(2 * a + 1))
        for n in range(len(beyond)):
            here[n] = max(last[n] * by * step[n], _LEAST)


@nb.njit(inline="always", fastmath=NAN_SAFE, error_model="numpy")
def _three(plane, m, x0, x1, x2):
    return x0 * load(plane, m, 0) + x1 * load(plane, m + _1, 0) + x2 * load(plane, m + _2, 0)


@nb.njit(inline="always", error_model="numpy")
def _within(run, places, sites):
    """Where a run begins and ends, whole row and first column of its places, and those that the frame covers."""
    row, column, _, _, _, _, begins, _ = places
    rows, width = sites.shape[2] - 2 * PAD, sites.shape[3] - 2 * PAD - VECTOR
    start, end = begins[run], begins[run + 1]
    i, j = row[start], column[start] - 2 * start
    low, high = max(start, -j // 2), min(end, (2 * width + 1 - j) // 2)
    if low >= high or not -1 <= i < 2 * rows:
        low, high = end, end
    return start, end, i, j, low, high


@nb.njit(inline="always", error_model="numpy")
def _first(i, j, t, sites, weights):
    """Of a run: the first of six rows and columns of sites of a place of the tile, and of weights down and across.

    The site is one of the first plane, which tells whether sites say anything.
    """
    ty, tx = t // 2, t % 2
    a, b = (ty + i) & 1, (tx + j) & 1
    r, q = (i - REACH - ty + a) // 2 + PAD, (j - REACH - tx + b) // 2 + PAD
    site = np.uint64((t * sites.shape[2] + r) * sites.shape[3] + q)
    return site, np.uint64(a * weights.shape[1]), np.uint64(b * weights.shape[1])


@nb.njit(inline="always", error_model="numpy")
def _strides(sites, weights):
    """From a row of sites, and from a plane of them, to the next; from a row of weights to the next but one."""
    line = np.uint64(sites.shape[3])
    return line, np.uint64(4 * sites.shape[2]) * line, np.uint64(2 * weights.shape[1])


@nb.njit(error_model="numpy")
def _nothing(start, low, high, end, sums):
    """Where the frame does not cover a run's places, its sites say nothing there."""
    for s in range(len(sums)):
        sums[s, start:low], sums[s, high:end] = 0, 0


@nb.njit(fastmath=NAN_SAFE, error_model="numpy")
def _departures(c, sites, pattern, runs, places, sums):
    """Sums of weights times departures, of weights, and of squared weights, over three by three sites of a colour."""
    _, _, _, _, wy, wx, _, _ = places
    line, plane, per = _strides(sites, wx)
    total, weight, square = sums[0], sums[1], sums[2]
    for k in range(runs):
        start, end, i, j, low, high = _within(k, places, sites)
        keep = np.float32(0)
        for t in range(4):
            if pattern[t // 2, t % 2] != c or low >= high:
                continue
            says, a, b = _first(i, j, t, sites, wx)
            off = says + np.uint64(OFF) * plane
            for n in range(np.uint64(low), whole(low, high)):
                x0, x1, x2 = load(wx, b + n, 0), load(wx, b + per + n, 0), load(wx, b + _2 * per + n, 0)
                y0, y1, y2 = load(wy, a + n, 0), load(wy, a + per + n, 0), load(wy, a + _2 * per + n, 0)
                m = off + n
                sum0 = y0 * _three(sites, m, x0, x1, x2) + y1 * _three(sites, m + line, x0, x1, x2)
                sum0 += y2 * _three(sites, m + _2 * line, x0, x1, x2)
                store(total, n, keep * load(total, n, 1) + sum0, 1)
                m = says + n
                sum1 = y0 * _three(sites, m, x0, x1, x2) + y1 * _three(sites, m + line, x0, x1, x2)
                sum1 += y2 * _three(sites, m + _2 * line, x0, x1, x2)
                store(weight, n, keep * load(weight, n, 2) + sum1, 2)
                x0, x1, x2, y0, y1, y2 = x0 * x0, x1 * x1, x2 * x2, y0 * y0, y1 * y1, y2 * y2
                sum2 = y0 * _three(sites, m, x0, x1, x2) + y1 * _three(sites, m + line, x0, x1, x2)
                sum2 += y2 * _three(sites, m + _2 * line, x0, x1, x2)
                store(square, n, keep * load(square, n, 3) + sum2, 3)
            keep = np.float32(1)
        _nothing(start, low, high, end, sums)


@nb.njit(fastmath=NAN_SAFE, error_model="numpy")
def _moments(c, sites, pattern, runs, places, sums):
    """Over three by three sites of a colour: sums of weights, of weighted greens and values, and then of products.

    Those are green squared, green times value, value squared and the departure squared.
    """
    _, _, _, _, wy, wx, _, _ = places
    line, plane, per = _strides(sites, wx)
    weight, of_green, of_value = sums[0], sums[1], sums[2]
    greens, both, values, offs = sums[3], sums[4], sums[5], sums[6]
    for k in range(runs):
        start, end, i, j, low, high = _within(k, places, sites)
        keep = np.float32(0)
        for t in range(12):
            # Row after row of three, of each place of the tile.
            if pattern[t // 6, t // 3 % 2] != c or low >= high:
                continue
            says, a, b = _first(i, j, t // 3, sites, wx)
            says, a = says + np.uint64(t % 3) * line, a + np.uint64(t % 3) * per
            off, told = says + np.uint64(OFF) * plane, says + np.uint64(TOLD) * plane
            green = says + np.uint64(GREEN) * plane
            for n in range(np.uint64(low), whole(low, high)):
                x0, x1, x2 = load(wx, b + n, 0), load(wx, b + per + n, 0), load(wx, b + _2 * per + n, 0)
                y = load(wy, a + n, 0)
                of = _three(sites, says + n, x0, x1, x2)
                store(weight, n, keep * load(weight, n, 1) + y * of, 1)
                of = _three(sites, green + n, x0, x1, x2)
                store(of_green, n, keep * load(of_green, n, 2) + y * of, 2)
                of = _three(sites, off + n, x0, x1, x2) + _three(sites, told + n, x0, x1, x2)
                store(of_value, n, keep * load(of_value, n, 3) + y * of, 3)
            for n in range(np.uint64(low), whole(low, high)):
                y = load(wy, a + n, 0)
                x0, x1 = y * load(wx, b + n, 0), y * load(wx, b + per + n, 0)
                x2 = y * load(wx, b + _2 * per + n, 0)
                g, d, v = green + n, off + n, told + n
                g0, g1, g2 = load(sites, g, 0), load(sites, g + _1, 0), load(sites, g + _2, 0)
                d0, d1, d2 = load(sites, d, 0), load(sites, d + _1, 0), load(sites, d + _2, 0)
                v0, v1, v2 = load(sites, v, 0), load(sites, v + _1, 0), load(sites, v + _2, 0)
                v0, v1, v2 = v0 + d0, v1 + d1, v2 + d2
                of = x0 * g0 * g0 + x1 * g1 * g1 + x2 * g2 * g2
                store(greens, n, keep * load(greens, n, 1) + of, 1)
                of = x0 * g0 * v0 + x1 * g1 * v1 + x2 * g2 * v2
                store(both, n, keep * load(both, n, 2) + of, 2)
                of = x0 * v0 * v0 + x1 * v1 * v1 + x2 * v2 * v2
                store(values, n, keep * load(values, n, 3) + of, 3)
                of = x0 * d0 * d0 + x1 * d1 * d1 + x2 * d2 * d2
                store(offs, n, keep * load(offs, n, 4) + of, 4)
            keep = np.float32(1)
        _nothing(start, low, high, end, sums)


@nb.njit(fastmath=NAN_SAFE, error_model="numpy")
def _gather_half(y, parity, count, sites, top, into, apart, first, pattern, deviations, places, own):
    """What a frame's sites say around every second place of a row, before it is weighted by their variance."""
    lines, runs = sites.shape[0] > GREEN, 0
    _, _, down, right, wy, wx, _, _ = places
    for c in (1, 0, 2):
        if c == 1 or apart:
            runs = along(into[c], first + y, parity, top, count, places)
        if lines and c == 1:
            continue
        if c != 2 or apart:
            _weigh(down[:count], deviations[c], wy)
            _weigh(right[:count], deviations[c], wx)
        if lines:
            _moments(c, sites, pattern, runs, places, own[c])
        else:
            _departures(c, sites, pattern, runs, places, own[c])


@nb.njit(fastmath=NAN_SAFE, error_model="numpy")
def _add_weighted(own, light, slope, offset, lines, share, total):
    """Add what a frame's sites said, weighted by the inverse of their variance."""
    zero = np.float32(0)
    for n in range(len(light)):
        share[n] = np.float32(1) / (slope * max(light[n], zero) + offset)
    for s in range(7 if lines else 3):
        here, said = total[s], own[s]
        for n in range(len(light)):
            here[n] += share[n] * said[n]
    last, weight = total[7 if lines else 3], own[0 if lines else 1]
    for n in range(len(light)):
        last[n] = last[n] + weight[n] if lines else max(last[n], share[n] if weight[n] > 0 else zero)


@nb.njit(fastmath=NAN_SAFE, error_model="numpy")
def _gather_row(y, sites, tops, into, apart, first, pattern, slopes, offsets, light, deviations, more, sums):
    across, lines = light.shape[2], sites.shape[1] > GREEN
    most = (across + 1) // 2
    places = room(most)
    share = np.empty(most, np.float32)
    # A colour has sites about every place but those that the frame does not cover.
    own = np.zeros((3, 7 if lines else 3, len(places[0])), np.float32)
    total = np.empty((3, 8 if lines else 4, most), np.float32)
    for parity in range(2):
        count = (across - parity + 1) // 2
        for c in range(3):
            for s in range(total.shape[1]):
                if more:
                    total[c, s, :count] = sums[c, s, y, parity::2]
                else:
                    total[c, s] = 0
        half = np.empty((3, count), np.float32)
        for c in range(3):
            half[c] = light[c, y, parity::2]
        for k in range(len(sites)):
            by = into[k], apart[k], first, pattern, deviations, places, own
            _gather_half(y, parity, count, sites[k], tops[k], *by)
            for c in range(3):
                if not (lines and c == 1):
                    _add_weighted(own[c], half[c], slopes[k, c], offsets[k, c], lines, share, total[c])
        for c in range(3):
            for s in range(total.shape[1]):
                sums[c, s, y, parity::2] = total[c, s, :count]


@nb.njit(parallel=True, cache=True, nogil=True, fastmath=NAN_SAFE, error_model="numpy")
def gather(sites, tops, into, apart, first, pattern, slopes, offsets, light, deviations, more, sums):
    """Gather what sites say around each place of some rows of the picture.

    Sites are weighted by a Gaussian of their distance and by the inverse of their variance.

    Parameters
    ----------
    sites : ndarray, float32 (F, 3 or 4, 4, h + 2 PAD, w + 2 PAD + VECTOR)
        From `predict`, of rows of frames from ``tops``, int64 (F,), on.
    into : ndarray, float64 (F, 3, rows, columns, 2)
        Nodes of the meshes from the picture's pixels to the frames', per colour.
    apart : ndarray, bool (F,)
        Whether those differ.
    slopes, offsets : ndarray, float32 (F, 3)
        Of the variance of a site, by the picture's light.
    light : ndarray, float32 (3, h, W)
        Of the picture, from row ``first`` on.
    deviations : ndarray, float32 (3,)
        Of each colour's Gaussian, in pixels; red's and blue's are the same.
    more : bool
        Whether frames before these were gathered into ``sums``.
    sums : ndarray, float32 (3, 4 or 8, h, W)
        Filled or added to, for each colour. From three planes of sites: the sum of weights times departures from what
        is predicted, of weights, of squared weights times variances, and the largest weight that a site can have. From
        four, for red and blue, the weighted sums of 1, green, value, green squared, green times value, value squared
        and the departure squared, and that of 1 weighted by distance alone; green's are 0.
    """
    for y in nb.prange(light.shape[1]):
        _gather_row(y, sites, tops, into, apart, first, pattern, slopes, offsets, light, deviations, more, sums)
