"""What the sites of moved frames say of a picture: each is held against what the picture predicts of it.

A demosaic guesses two colours of three at each site. Frames that were moved by parts of a pixel have sites of every
colour between those of the others, and where a site departs from what is predicted of it, the guess was wrong there.

Sites are kept by their place in the pattern's tile, in planes of their own: (0, 0), (0, 1), (1, 0), (1, 1). Along half
a row of the picture, every second pixel, the sites of a plane that are asked then lie side by side, for as long as the
frame's turn does not lead to another row; the kernels work on such runs.
"""

import numba as nb
import numpy as np

from crenn.core.fastmath import exp2
from crenn.core.geometry.mapping import STEP
from crenn.core.geometry.resample import PHASES, TAPS, place
from crenn.core.mosaic.moving import MISSING

#: Sites this many to each side of the nearest one are gathered at a place; planes of sites have a border this wide.
REACH, PAD = 2, 3
#: A guide has so many columns more to each side.
GUIDE_PAD = 4
_LOG2_E = np.float32(1.4426950408889634)
#: Values may be NaN, which tells that there is none.
_FAST = {"contract", "arcp", "reassoc", "nsz"}
#: Share of 255 from which on a frame's sites are asked without a second look.
_SPEAKS = 230
#: Sites of a doubted frame are heard where cells of this side depart from what is predicted by no more than so many
#: deviations of their noise, this share of the light and this share of its range there.
_SIDE, _NOISE, _TOLERANCE, _RANGE = 4, 5.0, 0.012, 0.3


def guide_of(light: np.ndarray, light_scale: np.float32) -> np.ndarray:
    """A picture as `predict` interpolates it, float32 (3, 2, h, (W + 2 GUIDE_PAD + 1) // 2).

    Colours of ``light``, float32 (h, W, 3), on the compressive scale arsinh(light / ``light_scale``), the outermost
    columns repeated, even and odd columns apart.
    """
    height, width, _ = light.shape
    half = (width + 2 * GUIDE_PAD + 1) // 2
    columns = np.clip(np.arange(2 * half) - GUIDE_PAD, 0, width - 1)
    guide = np.empty((3, 2, height, half), np.float32)
    compressed = np.arcsinh(light * np.float32(1 / light_scale))
    for parity in range(2):
        for c in range(3):
            guide[c, parity] = compressed[:, columns[parity::2], c]
    return guide


def no_sites(planes: int, rows: int, width: int) -> np.ndarray:
    """Planes for the sites of ``rows`` x ``width`` pixels, NaN, float32 (planes, 4, h + 2 PAD, w + 2 PAD)."""
    return np.full((planes, 4, (rows + 1) // 2 + 2 * PAD, (width + 1) // 2 + 2 * PAD), np.nan, np.float32)


@nb.njit(fastmath=_FAST, error_model="numpy")
def _along(nodes, y, x0, above, half, row, column, down, right):
    """Where every second pixel of row ``y`` from ``x0`` on maps to: whole rows and columns, and the parts beyond.

    Rows count from ``above`` on; whole numbers are the nearest ones if ``half`` is a half, the ones below if it is 0.
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
            qx, qy = np.floor(px + half), np.floor(py + half)
            column[m], row[m] = np.int32(qx), np.int32(qy)
            right[m], down[m] = np.float32(px - qx), np.float32(py - qy)
        n = end


@nb.njit(fastmath=_FAST, error_model="numpy")
def _run(row, column, start, end):
    """The end of the run from ``start`` on in which sites lie side by side in one row."""
    n = start + 1
    while n < end and row[n] == row[start] and column[n] - 2 * n == column[start] - 2 * start:
        n += 1
    return n


@nb.njit(fastmath=_FAST, error_model="numpy")
def _predict_row(y, mosaic, top, out_of, guide, first, across, pattern, black, scale, limit, light_scale, taps, out):
    width = mosaic.shape[1]
    height = guide.shape[2]
    with_green = out.shape[0] == 3
    most = (width + 1) // 2
    row, column = np.empty(most, np.int32), np.empty(most, np.int32)
    down, right = np.empty(most, np.float32), np.empty(most, np.float32)
    wy, wx = np.empty((TAPS, most), np.float32), np.empty((TAPS, most), np.float32)
    told, green = np.empty(most, np.float32), np.empty(most, np.float32)
    for tx in range(2):
        t = 2 * (y & 1) + tx
        c = pattern[y & 1, tx]
        count = (width - tx + 1) // 2
        if with_green and c == 1:
            continue
        _along(out_of[c], top + y, tx, first, 0.0, row[:count], column[:count], down, right)
        for n in range(count):
            p, q = int(down[n] * PHASES + 0.5), int(right[n] * PHASES + 0.5)
            for a in range(TAPS):
                wy[a, n], wx[a, n] = taps[p, a], taps[q, a]
        start = 0
        while start < count:
            end = _run(row, column, start, count)
            i, j = row[start], column[start] - 2 * start
            told[start:end] = np.nan
            # Within the run, those that the picture covers.
            lo = max(start, -(j // 2) if j < 0 else 0)
            hi = min(end, (across - j) // 2)
            if TAPS // 2 <= i < height - TAPS // 2 and lo < hi:
                told[lo:hi] = 0
                _add_lanczos(guide[c], i, j, wy, wx, lo, hi, told)
                if with_green:
                    green[lo:hi] = 0
                    _add_lanczos(guide[1], i, j, wy, wx, lo, hi, green)
            start = end
        r = (y >> 1) + PAD
        measured, predicted = out[0, t, r, PAD : PAD + count], out[1, t, r, PAD : PAD + count]
        half = np.float32(0.5) * light_scale
        for n in range(count):
            e = exp2(told[n] * _LOG2_E)
            light = half * (e - np.float32(1) / e)
            number = mosaic[y, 2 * n + tx]
            # Whether a site may be clipped is asked of what is predicted, or noise would choose.
            if number != MISSING and told[n] == told[n] and light <= limit[c]:
                measured[n] = (np.float32(number) - black[c]) * scale[c]
                predicted[n] = light
        if with_green:
            beside = out[2, t, r, PAD : PAD + count]
            for n in range(count):
                e = exp2(green[n] * _LOG2_E)
                beside[n] = half * (e - np.float32(1) / e)


@nb.njit(parallel=True, cache=True, nogil=True, fastmath=_FAST, error_model="numpy")
def predict(mosaic, top, out_of, guide, first, across, pattern, black, scale, limit, light_scale, taps, out):
    """What sites measured, and what a picture predicts of them; NaN where a site says nothing.

    Parameters
    ----------
    mosaic : ndarray, uint16 (rows, W)
        Rows of a frame from ``top`` on, an even one, as the sensor gave them; `MISSING` where a site is to be left out.
    out_of : ndarray, float64 (3, rows, columns, 2)
        Nodes of the meshes from the frame's pixels to the picture's, per colour of site.
    guide : ndarray, float32 (3, 2, h, w)
        Rows of the picture from ``first`` on, of ``across`` columns, as of `guide_of`.
    black, scale, limit : ndarray, float32 (3,)
        Of raw numbers: no light, light of the picture per number, and light from which on a site may be clipped.
    out : ndarray, float32 (2 or 3, 4, h + 2 PAD, w + 2 PAD)
        As of `no_sites`; filled with what was measured, what is predicted of it and, if there is a third plane, the
        green that is predicted there, for sites of red and blue alone.
    """
    for y in nb.prange(len(mosaic)):
        _predict_row(y, mosaic, top, out_of, guide, first, across, pattern, black, scale, limit, light_scale, taps, out)


@nb.njit(fastmath=_FAST, error_model="numpy")
def _add_lanczos(guide, i, j, wy, wx, lo, hi, out):
    """Add the guide at every second column, from ``j + 2 lo`` on of row ``i``, interpolated."""
    for a in range(TAPS):
        for b in range(TAPS):
            q = j + b - TAPS // 2 + 1 + GUIDE_PAD
            line = guide[q & 1, i + a - TAPS // 2 + 1, lo + (q >> 1) : hi + (q >> 1)]
            above, beside, total = wy[a, lo:hi], wx[b, lo:hi], out[lo:hi]
            for n in range(len(total)):
                total[n] += above[n] * beside[n] * line[n]


@nb.njit(parallel=True, cache=True, nogil=True, fastmath=_FAST, error_model="numpy")
def leave_out(sites, top, out_of, pattern, slope, offset, share, cell):
    """Leave out sites of what moved: where the frame may not speak, and what it measured is not what is predicted.

    A frame that was moved is doubted too often where detail is finer than the sites of a colour: moving it draws such
    detail another way. What is predicted at its own sites is not touched by that.

    Parameters
    ----------
    sites : ndarray, float32 (P, 4, h + 2 PAD, w + 2 PAD)
        From `predict`; those left out become NaN.
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
                        measured, light = sites[0, t, r, q], sites[1, t, r, q]
                        if measured == measured:
                            count[c] += 1
                            off[c] += measured - light
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
                sites[0, :, r0 + PAD : r1 + PAD, q0 + PAD : q1 + PAD] = np.nan


@nb.njit(fastmath=_FAST, error_model="numpy")
def _weigh(beyond, deviation, weights):
    """Weights exp(-d² / 2 deviation²) of the sites around places that lie ``beyond`` the nearest one."""
    factor = np.float32(-0.5) / (deviation * deviation) * _LOG2_E
    for a in range(2 * REACH + 1):
        line = weights[a]
        for n in range(len(beyond)):
            d = np.float32(a - REACH) - beyond[n]
            line[n] = exp2(factor * d * d)


# Loops over few arrays each: compilers take several numbers at a time only where few arrays could overlap.


@nb.njit(fastmath=_FAST, error_model="numpy")
def _share(measured, told, above, beside, share, off):
    """Weights of sites, none where a site says nothing, and what they depart by."""
    for n in range(len(measured)):
        d = measured[n] - told[n]
        share[n] = above[n] * beside[n] if d == d else np.float32(0)
        off[n] = d if d == d else np.float32(0)


@nb.njit(fastmath=_FAST, error_model="numpy")
def _add(share, value, total):
    for n in range(len(total)):
        total[n] += share[n] * value[n]


@nb.njit(fastmath=_FAST, error_model="numpy")
def _add_squares(share, value, total):
    for n in range(len(total)):
        total[n] += share[n] * value[n] * value[n]


@nb.njit(fastmath=_FAST, error_model="numpy")
def _add_weights(share, total, squares):
    for n in range(len(total)):
        total[n] += share[n]
        squares[n] += share[n] * share[n]


@nb.njit(fastmath=_FAST, error_model="numpy")
def _add_known(share, a, b, total):
    """Add products that may be NaN where there is no share."""
    for n in range(len(total)):
        p = a[n] * b[n]
        total[n] += share[n] * (p if share[n] > 0 else np.float32(0))


@nb.njit(fastmath=_FAST, error_model="numpy")
def _add_weighted(share, even, odd, total):
    """Add what was gathered for every second pixel each, weighted."""
    for n in range(len(odd)):
        total[2 * n] += share[2 * n] * even[n]
        total[2 * n + 1] += share[2 * n + 1] * odd[n]
    if len(even) > len(odd):
        total[-1] += share[-1] * even[-1]


@nb.njit(fastmath=_FAST, error_model="numpy")
def _gather_row(y, sites, top, into, apart, first, pattern, slope, offset, light, deviations, sums):
    rows, width = sites.shape[2] - 2 * PAD, sites.shape[3] - 2 * PAD
    across, zero = light.shape[2], np.float32(0)
    lines = sites.shape[0] == 3
    most = (across + 1) // 2
    row, column = np.empty(most, np.int32), np.empty(most, np.int32)
    down, right = np.empty(most, np.float32), np.empty(most, np.float32)
    wy, wx = np.empty((2 * REACH + 1, most), np.float32), np.empty((2 * REACH + 1, most), np.float32)
    k, off, one = np.empty(most, np.float32), np.empty(most, np.float32), np.ones(most, np.float32)
    # For each parity of columns and each colour what `gather` adds, before it is weighted.
    own = np.zeros((2, 3, 8, most), np.float32)
    for parity in range(2):
        count = (across - parity + 1) // 2
        for c in (1, 0, 2):
            if c == 1 or apart:
                _along(into[c], first + y, parity, top, 0.5, row[:count], column[:count], down, right)
            if lines and c == 1:
                continue
            if c != 2 or apart:
                _weigh(down[:count], deviations[c], wy)
                _weigh(right[:count], deviations[c], wx)
            start = 0
            while start < count:
                end = _run(row, column, start, count)
                i, j = row[start], column[start] - 2 * start
                # Within the run, those that the frame covers.
                lo, hi = max(start, (1 - j) // 2), min(end, width - j // 2)
                start = end
                if lo >= hi or not 0 <= i < 2 * rows:
                    continue
                for t in range(4):
                    ty, tx = t // 2, t % 2
                    if pattern[ty, tx] != c:
                        continue
                    # Rows and columns of this place of the tile.
                    for a in range((ty + i) & 1, 2 * REACH + 1, 2):
                        r = (i + a - REACH - ty) // 2 + PAD
                        for b in range((tx + j) & 1, 2 * REACH + 1, 2):
                            q = (j + b - REACH - tx) // 2 + PAD
                            measured, told = sites[0, t, r, lo + q : hi + q], sites[1, t, r, lo + q : hi + q]
                            _share(measured, told, wy[a, lo:hi], wx[b, lo:hi], k, off)
                            if not lines:
                                _add(k, off, own[parity, c, 0, lo:hi])
                                _add_weights(k, own[parity, c, 1, lo:hi], own[parity, c, 2, lo:hi])
                                continue
                            green = sites[2, t, r, lo + q : hi + q]
                            _add(k, one, own[parity, c, 0, lo:hi])
                            _add_known(k, green, one, own[parity, c, 1, lo:hi])
                            _add_known(k, measured, one, own[parity, c, 2, lo:hi])
                            _add_known(k, green, green, own[parity, c, 3, lo:hi])
                            _add_known(k, green, measured, own[parity, c, 4, lo:hi])
                            _add_known(k, measured, measured, own[parity, c, 5, lo:hi])
                            _add_squares(k, off, own[parity, c, 6, lo:hi])
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


@nb.njit(parallel=True, cache=True, nogil=True, fastmath=_FAST, error_model="numpy")
def gather(sites, top, into, apart, first, pattern, slope, offset, light, deviations, sums):
    """Gather what sites say around each place of some rows of the picture.

    Sites are weighted by a Gaussian of their distance and by the inverse of their variance.

    Parameters
    ----------
    sites : ndarray, float32 (2 or 3, 4, h + 2 PAD, w + 2 PAD)
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
        Added to, for each colour. From two planes of sites: the sum of weights times departures from what is
        predicted, of weights, of squared weights times variances, and the largest weight that a site can have. From
        three, for red and blue, the weighted sums of 1, green, value, green squared, green times value, value squared
        and the departure squared, and that of 1 weighted by distance alone.
    """
    for y in nb.prange(light.shape[1]):
        _gather_row(y, sites, top, into, apart, first, pattern, slope, offset, light, deviations, sums)
