"""Sums over places that two exposures of one view share, for fitting how they lie: weights, samples, equations."""

import numba as nb
import numpy as np


@nb.njit(parallel=True, cache=True, nogil=True, fastmath=True, error_model="numpy")
def weights(t, variance, usable, alias, weight):
    height, width = t.shape
    for y in nb.prange(2, height - 2):
        for x in range(2, width - 2):
            if not usable[y, x]:
                continue
            gx = np.float32(0.5) * (t[y, x + 1] - t[y, x - 1])
            gy = np.float32(0.5) * (t[y + 1, x] - t[y - 1, x])
            g = gx * gx + gy * gy
            v = variance[y, x]
            # The gradient of pure noise says nothing.
            g = max(g - v, np.float32(0))
            weight[y, x] = g / (v + alias * alias * g + np.float32(1e-8))


@nb.njit(cache=True, nogil=True, fastmath=True, inline="always", error_model="numpy")
def _cubic(f, w):
    """Weights of the four taps of cubic convolution (Keys 1981)."""
    w[0] = ((-0.5 * f + 1.0) * f - 0.5) * f
    w[1] = (1.5 * f - 2.5) * f * f + 1.0
    w[2] = ((-1.5 * f + 2.0) * f + 0.5) * f
    w[3] = (0.5 * f - 0.5) * f * f


@nb.njit(parallel=True, cache=True, nogil=True, fastmath=True, error_model="numpy")
def sample(image, valid, xs, ys, matrix, value):
    """Cubic samples of an image at mapped places; NaN where it is not known."""
    height, width = image.shape
    for n in nb.prange(xs.size):
        x, y = float(xs[n]), float(ys[n])
        d = matrix[2, 0] * x + matrix[2, 1] * y + matrix[2, 2]
        u = (matrix[0, 0] * x + matrix[0, 1] * y + matrix[0, 2]) / d
        v = (matrix[1, 0] * x + matrix[1, 1] * y + matrix[1, 2]) / d
        value[n] = np.nan
        if not (2 <= u < width - 3 and 2 <= v < height - 3):
            continue
        j, i = int(u), int(v)
        ok = True
        for a in range(-1, 3):
            for b in range(-1, 3):
                ok = ok and valid[i + a, j + b]
        if not ok:
            continue
        wx, wy = np.empty(4), np.empty(4)
        _cubic(u - j, wx)
        _cubic(v - i, wy)
        total = 0.0
        for a in range(4):
            line = 0.0
            for b in range(4):
                line += wx[b] * image[i + a - 1, j + b - 1]
            total += wy[a] * line
        value[n] = total


@nb.njit(parallel=True, cache=True, nogil=True, error_model="numpy")
def normal_equations(value, target, variance, gx, gy, nx, ny, centre, spread):
    """Sums of Gauss-Newton's normal equations under Tukey's biweight, in parts: (parts, 9, 10)."""
    parts = 64
    out = np.zeros((parts, 9, 10))
    length = (value.size + parts - 1) // parts
    for part in nb.prange(parts):
        j = np.empty(9)
        total = np.zeros((9, 10))
        for n in range(part * length, min((part + 1) * length, value.size)):
            r = value[n] - target[n]
            if r != r:
                continue
            u = (r - centre) / (4.7 * spread * np.sqrt(variance[n]))
            if abs(u) >= 1:
                continue
            w = (1 - u * u) ** 2 / (variance[n] * spread * spread)
            # Shift x, then x by x and y; shift y, then y by x and y; perspective x and y; brightness.
            bend = gx[n] * nx[n] + gy[n] * ny[n]
            j[0], j[1], j[2] = gx[n], gx[n] * nx[n], gx[n] * ny[n]
            j[3], j[4], j[5] = gy[n], gy[n] * nx[n], gy[n] * ny[n]
            j[6], j[7], j[8] = bend * nx[n], bend * ny[n], 1.0
            for a in range(9):
                wj = w * j[a]
                for b in range(9):
                    total[a, b] += wj * j[b]
                total[a, 9] += wj * r
        out[part] = total
    return out


@nb.njit(cache=True, nogil=True, error_model="numpy")
def spreads(deviation, parts):
    """For each value how far its part's values spread, by their median, 1 at least; parts of few values count as 1."""
    spreads = np.ones(deviation.size)
    order = np.argsort(parts, kind="mergesort")
    own = np.empty(deviation.size)
    begin = 0
    while begin < order.size:
        end, count = begin, 0
        while end < order.size and parts[order[end]] == parts[order[begin]]:
            value = deviation[order[end]]
            if value == value:
                own[count] = value
                count += 1
            end += 1
        if count >= 12:
            spread = max(1.4826 * np.median(own[:count]), 1.0)
            for n in range(begin, end):
                spreads[order[n]] = spread
        begin = end
    return spreads
