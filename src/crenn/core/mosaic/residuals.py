"""What the sites of moved frames say of a picture: each is held against what the picture predicts of it.

A demosaic guesses two colours of three at each site. Frames that were moved by parts of a pixel have sites of every
colour between those of the others, and where a site departs from what is predicted of it, the guess was wrong there.

Sites are kept by their place in the pattern's tile, in planes of their own: (0, 0), (0, 1), (1, 0), (1, 1). Along half
a row of the picture, every second pixel, the sites of a plane that are asked then lie side by side for as long as they
are a run of `crenn.core.geometry.runs`.
"""

import numba as nb
import numpy as np

from crenn.core.fastmath import NAN_SAFE, arsinh, exp2, sinh
from crenn.core.geometry.resample import TAPS, place
from crenn.core.geometry.runs import SIDE, along, columns_apart, interpolate_run, room, run_end, weigh_taps
from crenn.core.mosaic.moving import MISSING

#: Sites of so many rows above a place, and columns before it, are gathered, and of one more beyond: six of each, three
#: of either parity. Planes of sites have a border this wide.
REACH, PAD = 2, 3
#: What is known of a site: whether it says anything, 1 or 0; by how much it departs from what is predicted; what is
#: predicted; and the green that is predicted there. Nothing is 0 where a site says nothing.
SAYS, OFF, TOLD, GREEN = range(4)
_LOG2_E = np.float32(np.log2(np.e))
#: Weights are no smaller, that the product of four is a normal number; it slows reckoning down by twenty times if not.
_LEAST = np.float32(1e-9)
#: Indices of runs are unsigned, as in `crenn.core.geometry.runs`.
_1, _2, _4 = np.uint64(1), np.uint64(2), np.uint64(4)
#: Share of 255 from which on a frame's sites are asked without a second look.
_SPEAKS = 230
#: Sites of a doubted frame are heard where cells of this side depart from what is predicted by no more than so many
#: deviations of their noise, this share of the light and this share of its range there.
_SIDE, _NOISE, _TOLERANCE, _RANGE = 4, 5.0, 0.012, 0.3


def guide_of(light: np.ndarray, light_scale: np.float32) -> np.ndarray:
    """A picture, float32 (h, W, 3), as `predict` wants it: `columns_apart` of arsinh(light / ``light_scale``)."""
    compressed = np.empty_like(light)
    _compress(light, np.float32(1 / light_scale), compressed)
    return columns_apart(compressed)


@nb.njit(parallel=True, cache=True, nogil=True, fastmath=NAN_SAFE, error_model="numpy")
def _compress(light, over, out):
    for y in nb.prange(light.shape[0]):
        for x in range(light.shape[1]):
            for c in range(3):
                out[y, x, c] = arsinh(light[y, x, c] * over)


def no_sites(planes: int, rows: int, width: int) -> np.ndarray:
    """Planes for the sites of ``rows`` x ``width`` pixels, 0, float32 (planes, 4, h + 2 PAD, w + 2 PAD)."""
    return np.zeros((planes, 4, (rows + 1) // 2 + 2 * PAD, (width + 1) // 2 + 2 * PAD), np.float32)


@nb.njit(fastmath=NAN_SAFE, error_model="numpy")
def _predict_row(y, mosaic, top, out_of, guide, first, across, pattern, black, scale, limit, light_scale, taps, out):
    width = mosaic.shape[1]
    height = guide.shape[2] - 2 * SIDE
    with_green = out.shape[0] > GREEN
    most = (width + 1) // 2
    row, column, down, right, wy, wx = room(most)
    told, green = np.empty(most, np.float32), np.empty(most, np.float32)
    for tx in range(2):
        t = 2 * (y & 1) + tx
        c = pattern[y & 1, tx]
        count = (width - tx + 1) // 2
        if with_green and c == 1:
            continue
        along(out_of[c], top + y, tx, first, row[:count], column[:count], down, right)
        weigh_taps(taps, down[:count], wy)
        weigh_taps(taps, right[:count], wx)
        start = 0
        while start < count:
            end = run_end(row, column, start, count)
            i, j = row[start], column[start] - 2 * start
            told[start:end] = np.nan
            # Within the run, those that the picture covers.
            lo = max(start, -(j // 2) if j < 0 else 0)
            hi = min(end, (across - j) // 2)
            if TAPS // 2 <= i < height - TAPS // 2 and lo < hi:
                interpolate_run(guide[c], i, j, wy, wx, lo, hi, told)
                if with_green:
                    interpolate_run(guide[1], i, j, wy, wx, lo, hi, green)
            start = end
        r = (y >> 1) + PAD
        says, off, light = out[SAYS, t, r, PAD:], out[OFF, t, r, PAD:], out[TOLD, t, r, PAD:]
        for n in range(count):
            predicted = light_scale * sinh(told[n])
            number = mosaic[y, 2 * n + tx]
            # Whether a site may be clipped is asked of what is predicted, or noise would choose.
            if number != MISSING and told[n] == told[n] and predicted <= limit[c]:
                says[n], light[n] = np.float32(1), predicted
                off[n] = (np.float32(number) - black[c]) * scale[c] - predicted
        if with_green:
            beside = out[GREEN, t, r, PAD:]
            for n in range(count):
                beside[n] = light_scale * sinh(green[n]) if says[n] > 0 else np.float32(0)


@nb.njit(parallel=True, cache=True, nogil=True, fastmath=NAN_SAFE, error_model="numpy")
def predict(mosaic, top, out_of, guide, first, across, pattern, black, scale, limit, light_scale, taps, out):
    """What sites measured, held against what a picture predicts of them.

    Parameters
    ----------
    mosaic : ndarray, uint16 (rows, W)
        Rows of a frame from ``top`` on, an even one, as the sensor gave them; `MISSING` where a site is to be left out.
    out_of : ndarray, float64 (3, rows, columns, 2)
        Nodes of the meshes from the frame's pixels to the picture's, per colour of site.
    guide : ndarray, float32 (3, 2, h, w)
        Rows of the picture from ``first`` on, of ``across`` columns, from `guide_of`.
    black, scale, limit : ndarray, float32 (3,)
        Of raw numbers: no light, light of the picture per number, and light from which on a site may be clipped.
    out : ndarray, float32 (3 or 4, 4, h + 2 PAD, w + 2 PAD)
        From `no_sites`; filled with what `SAYS`, `OFF`, `TOLD` and, if there is a fourth plane, `GREEN` name, the last
        for sites of red and blue alone, and then the others for them alone too.
    """
    for y in nb.prange(len(mosaic)):
        _predict_row(y, mosaic, top, out_of, guide, first, across, pattern, black, scale, limit, light_scale, taps, out)


@nb.njit(parallel=True, cache=True, nogil=True, fastmath=NAN_SAFE, error_model="numpy")
def leave_out(sites, top, out_of, pattern, slope, offset, share, cell):
    """Leave out sites of what moved: where the frame may not speak, and what it measured is not what is predicted.

    A frame that was moved is doubted too often where detail is finer than the sites of a colour: moving it draws such
    detail another way. What is predicted at its own sites is not touched by that.

    Parameters
    ----------
    sites : ndarray, float32 (3 or 4, 4, h + 2 PAD, w + 2 PAD)
        From `predict`; those left out say nothing.
    top, out_of, pattern, slope, offset
        As of `predict` and `gather`.
    share : ndarray, uint8 (rows, columns)
        With which the frame may speak, of 255, in cells of the picture of side ``cell``; 0 is for good.
    """
    half = _SIDE // 2
    rows, width = sites.shape[2] - 2 * PAD, sites.shape[3] - 2 * PAD
    last_row, last_column = share.shape[0] - 1, share.shape[1] - 1
    for block in nb.prange((rows + half - 1) // half):
        r0, r1 = block * half, min((block + 1) * half, rows)
        count, off, told = np.empty(3, np.float32), np.empty(3, np.float32), np.empty(3, np.float32)
        low, high = np.empty(3, np.float32), np.empty(3, np.float32)
        for q0 in range(0, width, half):
            q1 = min(q0 + half, width)
            px, py = place(out_of[1], q0 + q1 - 1, top + r0 + r1 - 1)
            may = share[min(max(int(py), 0) // cell, last_row), min(max(int(px), 0) // cell, last_column)]
            if may >= _SPEAKS:
                continue
            count[:], off[:], told[:], low[:], high[:] = 0, 0, 0, np.inf, -np.inf
            for t in range(4):
                c = pattern[t // 2, t % 2]
                for r in range(r0 + PAD, r1 + PAD):
                    for q in range(q0 + PAD, q1 + PAD):
                        if sites[SAYS, t, r, q] > 0:
                            light = sites[TOLD, t, r, q]
                            count[c] += 1
                            off[c] += sites[OFF, t, r, q]
                            told[c] += light
                            low[c], high[c] = min(low[c], light), max(high[c], light)
            out = may == 0
            for c in range(3):
                if count[c] > 0:
                    mean = told[c] / count[c]
                    noise = np.sqrt((slope[c] * max(mean, np.float32(0)) + offset[c]) / count[c])
                    allowed = _NOISE * noise + _TOLERANCE * abs(mean) + _RANGE * (high[c] - low[c])
                    out |= abs(off[c]) / count[c] > allowed
            if out:
                sites[:, :, r0 + PAD : r1 + PAD, q0 + PAD : q1 + PAD] = 0


@nb.njit(fastmath=NAN_SAFE, error_model="numpy")
def _weigh(beyond, deviation, weights):
    """Weights exp(-d² / 2 deviation²) of six sites about places that lie ``beyond`` the third of them."""
    factor = np.float32(-0.5) / (deviation * deviation) * _LOG2_E
    # The square of (a - d) is three terms: two exponentials make all six weights.
    middle, step = weights[REACH], weights[2 * REACH + 1]
    for n in range(len(beyond)):
        middle[n], step[n] = exp2(factor * beyond[n] * beyond[n]), exp2(np.float32(-2) * factor * beyond[n])
    for a in range(REACH):
        here, last = weights[REACH - a - 1], weights[REACH - a]
        by = exp2(factor * np.float32(2 * a + 1))
        for n in range(len(beyond)):
            here[n] = max(last[n] * by / step[n], _LEAST)
    for a in range(REACH + 1):
        here, last = weights[REACH + a + 1], weights[REACH + a]
        by = exp2(factor * np.float32(2 * a + 1))
        for n in range(len(beyond)):
            here[n] = max(last[n] * by * step[n], _LEAST)


@nb.njit(inline="always", fastmath=NAN_SAFE, error_model="numpy")
def _three(plane, r, q, x0, x1, x2):
    return x0 * plane[r, q] + x1 * plane[r, q + _1] + x2 * plane[r, q + _2]


@nb.njit(fastmath=NAN_SAFE, error_model="numpy")
def _departures(says, off, r, q, wy, wx, run, own):
    """Sums of weights times departures, of weights, and of squared weights, over three by three sites of a colour."""
    total, weight, square = own[0], own[1], own[2]
    a, b, lo, hi = run
    for n in range(lo, hi):
        x0, x1, x2 = wx[b, n], wx[b + _2, n], wx[b + _4, n]
        y0, y1, y2 = wy[a, n], wy[a + _2, n], wy[a + _4, n]
        m = q + n
        total[n] += (
            y0 * _three(off, r, m, x0, x1, x2)
            + y1 * _three(off, r + _1, m, x0, x1, x2)
            + y2 * _three(off, r + _2, m, x0, x1, x2)
        )
        weight[n] += (
            y0 * _three(says, r, m, x0, x1, x2)
            + y1 * _three(says, r + _1, m, x0, x1, x2)
            + y2 * _three(says, r + _2, m, x0, x1, x2)
        )
        x0, x1, x2, y0, y1, y2 = x0 * x0, x1 * x1, x2 * x2, y0 * y0, y1 * y1, y2 * y2
        square[n] += (
            y0 * _three(says, r, m, x0, x1, x2)
            + y1 * _three(says, r + _1, m, x0, x1, x2)
            + y2 * _three(says, r + _2, m, x0, x1, x2)
        )


@nb.njit(fastmath=NAN_SAFE, error_model="numpy")
def _means(says, off, told, green, r, q, wy, wx, run, own):
    """Sums of weights, of weighted greens, and of weighted values, over a row of three sites."""
    weight, of_green, of_value = own[0], own[1], own[2]
    a, b, lo, hi = run
    for n in range(lo, hi):
        m = q + n
        x0, x1, x2, y = wx[b, n], wx[b + _2, n], wx[b + _4, n], wy[a, n]
        weight[n] += y * _three(says, r, m, x0, x1, x2)
        of_green[n] += y * _three(green, r, m, x0, x1, x2)
        of_value[n] += y * (_three(off, r, m, x0, x1, x2) + _three(told, r, m, x0, x1, x2))


@nb.njit(fastmath=NAN_SAFE, error_model="numpy")
def _products(off, told, green, r, q, wy, wx, run, own):
    """Weighted sums of green squared, green times value, value squared and the departure squared, likewise."""
    greens, both, values, offs = own[3], own[4], own[5], own[6]
    a, b, lo, hi = run
    for n in range(lo, hi):
        m = q + n
        y = wy[a, n]
        x0, x1, x2 = y * wx[b, n], y * wx[b + _2, n], y * wx[b + _4, n]
        g0, g1, g2 = green[r, m], green[r, m + _1], green[r, m + _2]
        d0, d1, d2 = off[r, m], off[r, m + _1], off[r, m + _2]
        v0, v1, v2 = d0 + told[r, m], d1 + told[r, m + _1], d2 + told[r, m + _2]
        greens[n] += x0 * g0 * g0 + x1 * g1 * g1 + x2 * g2 * g2
        both[n] += x0 * g0 * v0 + x1 * g1 * v1 + x2 * g2 * v2
        values[n] += x0 * v0 * v0 + x1 * v1 * v1 + x2 * v2 * v2
        offs[n] += x0 * d0 * d0 + x1 * d1 * d1 + x2 * d2 * d2


@nb.njit(fastmath=NAN_SAFE, error_model="numpy")
def _add_weighted(share, even, odd, total):
    """Add what was gathered for every second pixel each, weighted."""
    for n in range(len(odd)):
        total[2 * n] += share[2 * n] * even[n]
        total[2 * n + _1] += share[2 * n + _1] * odd[n]
    if len(even) > len(odd):
        total[-1] += share[-1] * even[-1]


@nb.njit(fastmath=NAN_SAFE, error_model="numpy")
def _gather_row(y, sites, top, into, apart, first, pattern, slope, offset, light, deviations, sums):
    rows, width = sites.shape[2] - 2 * PAD, sites.shape[3] - 2 * PAD
    across, zero = light.shape[2], np.float32(0)
    lines = sites.shape[0] > GREEN
    most = (across + 1) // 2
    row, column, down, right, wy, wx = room(most)
    # For each parity of columns and each colour what `gather` adds, before it is weighted.
    own = np.zeros((2, 3, 7 if lines else 3, most), np.float32)
    for parity in range(2):
        count = (across - parity + 1) // 2
        for c in (1, 0, 2):
            if c == 1 or apart:
                along(into[c], first + y, parity, top, row[:count], column[:count], down, right)
            if lines and c == 1:
                continue
            if c != 2 or apart:
                _weigh(down[:count], deviations[c], wy)
                _weigh(right[:count], deviations[c], wx)
            start = 0
            while start < count:
                end = run_end(row, column, start, count)
                i, j = row[start], column[start] - 2 * start
                # Within the run, those that the frame covers.
                low, high = max(start, -j // 2), min(end, (2 * width + 1 - j) // 2)
                start = end
                if low >= high or not -1 <= i < 2 * rows:
                    continue
                lo, hi = np.uint64(low), np.uint64(high)
                for t in range(4):
                    ty, tx = t // 2, t % 2
                    if pattern[ty, tx] != c:
                        continue
                    # The first of six rows and columns that are of this place of the tile.
                    r, q = (i - REACH - ty + ((ty + i) & 1)) // 2 + PAD, (j - REACH - tx + ((tx + j) & 1)) // 2 + PAD
                    a, b, r, q = np.uint64((ty + i) & 1), np.uint64((tx + j) & 1), np.uint64(r), np.uint64(q)
                    says, off, gathered = sites[SAYS, t], sites[OFF, t], own[parity, c]
                    if not lines:
                        _departures(says, off, r, q, wy, wx, (a, b, lo, hi), gathered)
                        continue
                    told, green = sites[TOLD, t], sites[GREEN, t]
                    for k in range(3):
                        run = (a + np.uint64(2 * k), b, lo, hi)
                        _means(says, off, told, green, r + np.uint64(k), q, wy, wx, run, gathered)
                        _products(off, told, green, r + np.uint64(k), q, wy, wx, run, gathered)
    w, even = np.empty(across, np.float32), (across + 1) // 2
    for c in range(3):
        if lines and c == 1:
            continue
        here = light[c, y]
        for x in range(across):
            w[x] = np.float32(1) / (slope[c] * max(here[x], zero) + offset[c])
        for s in range(7 if lines else 3):
            _add_weighted(w, own[0, c, s], own[1, c, s, : across - even], sums[c, s, y])
        last = sums[c, 7 if lines else 3, y]
        n = 0 if lines else 1
        for x in range(across):
            weight = own[x & 1, c, n, x >> 1]
            last[x] = last[x] + weight if lines else max(last[x], w[x] if weight > 0 else zero)


@nb.njit(parallel=True, cache=True, nogil=True, fastmath=NAN_SAFE, error_model="numpy")
def gather(sites, top, into, apart, first, pattern, slope, offset, light, deviations, sums):
    """Gather what sites say around each place of some rows of the picture.

    Sites are weighted by a Gaussian of their distance and by the inverse of their variance.

    Parameters
    ----------
    sites : ndarray, float32 (3 or 4, 4, h + 2 PAD, w + 2 PAD)
        From `predict`, of rows from ``top`` on.
    into : ndarray, float64 (3, rows, columns, 2)
        Nodes of the meshes from the picture's pixels to the frame's, per colour.
    apart : bool
        Whether those differ.
    slope, offset : ndarray, float32 (3,)
        Of the variance of a site, by the picture's light.
    light : ndarray, float32 (3, h, W)
        Of the picture, from row ``first`` on.
    deviations : ndarray, float32 (3,)
        Of each colour's Gaussian, in pixels; red's and blue's are the same.
    sums : ndarray, float32 (3, 4 or 8, h, W)
        Added to, for each colour. From three planes of sites: the sum of weights times departures from what is
        predicted, of weights, of squared weights times variances, and the largest weight that a site can have. From
        four, for red and blue, the weighted sums of 1, green, value, green squared, green times value, value squared
        and the departure squared, and that of 1 weighted by distance alone.
    """
    for y in nb.prange(light.shape[1]):
        _gather_row(y, sites, top, into, apart, first, pattern, slope, offset, light, deviations, sums)
