"""The same sites of many mosaics as one: mean, mean without outliers, median or maximum."""

import numba as nb
import numpy as np

from crenn.core.mosaic.moving import MISSING, NOISE_CELL

#: Ways of making one of many, by their numbers.
METHODS = {"mean": 0, "clipped": 1, "median": 2, "maximum": 3}


@nb.njit(cache=True, nogil=True, error_model="numpy")
def median_of(part, n):
    """Median of the first ``n`` values, which are put in another order (Hoare 1961, quickselect)."""
    low, high, k = 0, n - 1, n // 2
    while low < high:
        pivot = part[(low + high) // 2]
        i, j = low, high
        while i <= j:
            while part[i] < pivot:
                i += 1
            while part[j] > pivot:
                j -= 1
            if i <= j:
                part[i], part[j] = part[j], part[i]
                i += 1
                j -= 1
        if k <= j:
            high = j
        elif k >= i:
            low = i
        else:
            break
    if n % 2:
        return part[k]
    below = part[0]
    for i in range(1, k):
        below = max(below, part[i])
    return np.float32(0.5) * (below + part[k])


@nb.njit(parallel=True, cache=True, nogil=True, error_model="numpy")
def outliers(band, top, pattern, black, scale, gains, slope, offset, clip, threshold, out):
    """Mark samples far from the median of their site."""
    frames, rows, width = band.shape
    for y in nb.prange(rows):
        values, order = np.empty(frames, np.float32), np.empty(frames, np.float32)
        for x in range(width):
            c = pattern[(top + y) & 1, x & 1]
            n = 0
            for k in range(frames):
                out[k, y, x] = 0
                values[k] = np.nan
                if band[k, y, x] != MISSING:
                    values[k] = (np.float32(band[k, y, x]) - black[c]) * scale[c] / gains[k]
                    order[n] = values[k]
                    n += 1
            if n < 3:
                continue
            middle = median_of(order, n)
            for i in range(n):
                order[i] = abs(order[i] - middle)
            spread = np.float32(1.4826) * median_of(order, n)
            model = np.sqrt(slope[c] * max(middle, np.float32(0)) + offset[c])
            limit = threshold * max(model, spread)
            for k in range(frames):
                if values[k] == values[k] and abs(values[k] - middle) > limit:
                    out[k, y, x] = 1


@nb.njit(parallel=True, cache=True, nogil=True, error_model="numpy")
def grow(marks, beside, reach, out):
    """Marks, and all around places with many of them."""
    frames, rows, width = marks.shape
    for k in nb.prange(frames):
        column = np.zeros(width, np.int32)
        for y in range(rows):
            # Sums of columns slide down, sums of the window slide along.
            for x in range(width):
                if y == 0:
                    for dy in range(min(reach + 1, rows)):
                        column[x] += marks[k, dy, x]
                else:
                    if y + reach < rows:
                        column[x] += marks[k, y + reach, x]
                    if y - reach - 1 >= 0:
                        column[x] -= marks[k, y - reach - 1, x]
            total = 0
            for x in range(min(reach, width)):
                total += column[x]
            for x in range(width):
                if x + reach < width:
                    total += column[x + reach]
                if x - reach - 1 >= 0:
                    total -= column[x - reach - 1]
                out[k, y, x] = 1 if marks[k, y, x] or total >= beside else 0


@nb.njit(parallel=True, cache=True, nogil=True, error_model="numpy")
def reduce(
    band,
    marks,
    top,
    first,
    last,
    pattern,
    black,
    scale,
    gains,
    slope,
    offset,
    clip,
    method,
    spread,
    light,
    variance,
    clipped,
):
    """Rows ``first`` to ``last`` of a band as one: light, its variance, and whether most samples clip."""
    frames, _, width = band.shape
    for y in nb.prange(first, last):
        values = np.empty(frames, np.float32)
        for x in range(width):
            c = pattern[(top + y) & 1, x & 1]
            n, lost, covered, lost_most = 0, 0, 0, False
            total, most, square = np.float32(0), np.float32(-1e30), np.float32(0)
            for k in range(frames):
                number = band[k, y, x]
                if number == MISSING:
                    continue
                covered += 1
                full = number >= clip
                if full:
                    lost += 1
                v = (np.float32(number) - black[c]) * scale[c] / gains[k]
                if (full and method != 3) or (method == 1 and marks[k, y, x]):
                    continue
                values[n] = v
                n += 1
                total += v
                square += np.float32(1) / gains[k]
                if v > most:
                    most, lost_most = v, full
            oy = y - first
            # The brightest counts alone, or most of them.
            clipped[oy, x] = lost_most if method == 3 else covered > 0 and (2 * lost > covered or n == 0)
            if n == 0:
                # All clipped, or all outliers: the plain mean is a lower bound.
                for k in range(frames):
                    if band[k, y, x] != MISSING:
                        total += (np.float32(band[k, y, x]) - black[c]) * scale[c] / gains[k]
                n = max(covered, 1)
                light[oy, x] = total / n
            elif method == 2:
                light[oy, x] = median_of(values, n)
            elif method == 3:
                light[oy, x] = most
            else:
                light[oy, x] = total / n
            single = slope[c] * max(light[oy, x], np.float32(0)) + offset[c]
            share = np.float32(1.0) / n
            if method == 2 and n > 2:
                share *= np.float32(1.5707963)
            elif method == 3:
                share = np.float32(1.0)
            variance[oy, x] = single * share * spread[(top + y) // NOISE_CELL, x // NOISE_CELL, c]
