"""What the sites of moved frames say of a picture: each is held against what the picture predicts of it.

A demosaic guesses two colours of three at each site. Frames that were moved by parts of a pixel have sites of every
colour between those of the others, and where a site departs from what is predicted of it, the guess was wrong there.
"""

import numba as nb
import numpy as np

from crenn.core.fastmath import exp2
from crenn.core.geometry.resample import PHASES, TAPS, place
from crenn.core.mosaic.moving import MISSING

#: Sites this many to each side of the nearest one are gathered at a place.
REACH = 2
#: Steps of a pixel in which the kernels' weights are told.
_STEPS = 64
_LOG2_E = np.float32(1.4426950408889634)
#: Values may be NaN, which tells that there is none.
_FAST = {"contract", "arcp", "reassoc", "nsz"}
#: Share of 255 from which on a frame's sites are asked without a second look.
_SPEAKS = 230
#: Sites of a doubted frame are heard where cells of this side depart from what is predicted by no more than so many
#: deviations of their noise, this share of the light and this share of its range there.
_SIDE, _NOISE, _TOLERANCE, _RANGE = 4, 5.0, 0.012, 0.3


def kernel(deviation: float) -> np.ndarray:
    """Weights of a Gaussian at the sites along one axis, float32 (_STEPS + 1, 2 REACH + 1).

    Row ``n`` is for a place ``n / _STEPS - 1/2`` pixels beyond the nearest site.
    """
    beyond = np.arange(_STEPS + 1)[:, None] / _STEPS - 0.5
    away = np.arange(-REACH, REACH + 1)[None, :] - beyond
    return np.exp(-0.5 * (away / deviation) ** 2).astype(np.float32)


@nb.njit(inline="always", fastmath=_FAST)
def _sampled(plane, i, j, wy, wx):
    """A plane on the compressive scale, interpolated."""
    across = plane.shape[1]
    total = np.float32(0)
    if j >= 2 and j + 3 < across:
        for a in range(TAPS):
            line = np.float32(0)
            for b in range(TAPS):
                line += wx[b] * plane[i + a - 2, j + b - 2]
            total += wy[a] * line
    else:
        for a in range(TAPS):
            line = np.float32(0)
            for b in range(TAPS):
                line += wx[b] * plane[i + a - 2, min(max(j + b - 2, 0), across - 1)]
            total += wy[a] * line
    return total


@nb.njit(inline="always", fastmath=_FAST)
def _linear(compressed, light_scale):
    e = exp2(compressed * _LOG2_E)
    return np.float32(0.5) * light_scale * (e - np.float32(1) / e)


@nb.njit(parallel=True, cache=True, nogil=True, fastmath=_FAST)
def predict(mosaic, top, out_of, guide, first, pattern, black, scale, limit, light_scale, taps, out):
    """What sites measured, and what a picture predicts of them; NaN where a site says nothing.

    Parameters
    ----------
    mosaic : ndarray, uint16 (rows, W)
        Rows of a frame from ``top`` on, as the sensor gave them; `MISSING` where a site is to be left out.
    out_of : ndarray, float64 (3, rows, columns, 2)
        Nodes of the meshes from the frame's pixels to the picture's, per colour of site.
    guide : ndarray, float32 (3, h, W)
        Rows of the picture from ``first`` on, each colour on the compressive scale ``light_scale``.
    black, scale, limit : ndarray, float32 (3,)
        Of raw numbers: no light, light of the picture per number, and light from which on a site may be clipped.
    out : ndarray, float32 (2 or 3, rows, W)
        Filled with what was measured, what is predicted of it and, if there is a third plane, the green that is
        predicted there, for sites of red and blue alone.
    """
    rows, width = mosaic.shape
    _, height, across = guide.shape
    with_green = out.shape[0] == 3
    for y in nb.prange(rows):
        for x in range(width):
            out[0, y, x] = np.nan
            out[1, y, x] = np.nan
            c = pattern[(top + y) & 1, x & 1]
            number = mosaic[y, x]
            if number == MISSING or (with_green and c == 1):
                continue
            px, py = place(out_of[c], x, top + y)
            py -= first
            if not (TAPS / 2 <= py < height - TAPS / 2 and 0.0 <= px <= across - 1.0):
                continue
            i, j = int(np.floor(py)), int(np.floor(px))
            wy, wx = taps[int((py - i) * PHASES + 0.5)], taps[int((px - j) * PHASES + 0.5)]
            light = _linear(_sampled(guide[c], i, j, wy, wx), light_scale)
            # Whether a site may be clipped is asked of what is predicted, or noise would choose.
            if light > limit[c]:
                continue
            out[0, y, x] = (np.float32(number) - black[c]) * scale[c]
            out[1, y, x] = light
            if with_green:
                out[2, y, x] = _linear(_sampled(guide[1], i, j, wy, wx), light_scale)


@nb.njit(parallel=True, cache=True, nogil=True, fastmath=_FAST)
def leave_out(sites, top, out_of, pattern, slope, offset, share, cell):
    """Leave out sites of what moved: where the frame may not speak, and what it measured is not what is predicted.

    A frame that was moved is doubted too often where detail is finer than the sites of a colour: moving it draws such
    detail another way. What is predicted at its own sites is not touched by that.

    Parameters
    ----------
    sites : ndarray, float32 (P, rows, W)
        From `predict`; those left out become NaN.
    top, out_of, pattern, slope, offset
        As of `predict` and `gather`.
    share : ndarray, uint8 (rows, columns)
        With which the frame may speak, of 255, in cells of the picture of side ``cell``; 0 is for good.
    """
    _, rows, width = sites.shape
    last_row, last_column = share.shape[0] - 1, share.shape[1] - 1
    for block in nb.prange((rows + _SIDE - 1) // _SIDE):
        y0, y1 = block * _SIDE, min((block + 1) * _SIDE, rows)
        count, off, told = np.empty(3, np.float32), np.empty(3, np.float32), np.empty(3, np.float32)
        low, high = np.empty(3, np.float32), np.empty(3, np.float32)
        for x0 in range(0, width, _SIDE):
            x1 = min(x0 + _SIDE, width)
            px, py = place(out_of[1], (x0 + x1 - 1) // 2, top + (y0 + y1 - 1) // 2)
            may = share[min(max(int(py), 0) // cell, last_row), min(max(int(px), 0) // cell, last_column)]
            if may >= _SPEAKS:
                continue
            count[:], off[:], told[:], low[:], high[:] = 0, 0, 0, np.inf, -np.inf
            for y in range(y0, y1):
                for x in range(x0, x1):
                    if sites[0, y, x] == sites[0, y, x]:
                        c = pattern[(top + y) & 1, x & 1]
                        count[c] += 1
                        off[c] += sites[0, y, x] - sites[1, y, x]
                        told[c] += sites[1, y, x]
                        low[c], high[c] = min(low[c], sites[1, y, x]), max(high[c], sites[1, y, x])
            out = may == 0
            for c in range(3):
                if count[c] > 0:
                    mean = told[c] / count[c]
                    noise = np.sqrt((slope[c] * max(mean, np.float32(0)) + offset[c]) / count[c])
                    allowed = _NOISE * noise + _TOLERANCE * abs(mean) + _RANGE * (high[c] - low[c])
                    out |= abs(off[c]) / count[c] > allowed
            if out:
                sites[0, y0:y1, x0:x1] = np.nan


@nb.njit(parallel=True, cache=True, nogil=True, fastmath=_FAST)
def gather(sites, top, into, apart, first, pattern, slope, offset, light, kernels, sums):
    """Gather by how much sites depart from what is predicted of them, around each place of some rows of the picture.

    Parameters
    ----------
    sites : ndarray, float32 (2, rows, W)
        From `predict`.
    into : ndarray, float64 (3, rows, columns, 2)
        Nodes of the meshes from the picture's pixels to the frame's, per colour.
    apart : bool
        Whether those differ.
    slope, offset : ndarray, float32 (3,)
        Of the variance of a site, by the picture's light.
    light : ndarray, float32 (h, W, 3)
        Of the picture, from row ``first`` on.
    kernels : ndarray, float32 (3, steps, taps)
        Of each colour's sites.
    sums : ndarray, float32 (4, 3, h, W)
        Added to: the sum of weights times departures, of weights, of squared weights times variances, and the largest
        weight that a site can have.
    """
    _, rows, width = sites.shape
    height, across = light.shape[:2]
    for y in nb.prange(height):
        total, weight, square = np.empty(3, np.float32), np.empty(3, np.float32), np.empty(3, np.float32)
        for x in range(across):
            total[:], weight[:], square[:] = 0, 0, 0
            sx, sy = place(into[1], x, first + y)
            for t in range(4):
                ty, tx = t // 2, t % 2
                c = pattern[ty, tx]
                if apart and c != 1:
                    cx, cy = place(into[c], x, first + y)
                else:
                    cx, cy = sx, sy
                cy -= top
                i, j = int(np.floor(cy + 0.5)), int(np.floor(cx + 0.5))
                if not (0 <= i < rows and 0 <= j < width):
                    continue
                wy = kernels[c, int((cy - i + 0.5) * _STEPS + 0.5)]
                wx = kernels[c, int((cx - j + 0.5) * _STEPS + 0.5)]
                # Rows and columns of this place of the tile.
                a0, b0 = (ty + top + i) & 1, (tx + j) & 1
                while i + a0 < REACH:
                    a0 += 2
                while j + b0 < REACH:
                    b0 += 2
                for a in range(a0, min(2 * REACH + 1, rows - i + REACH), 2):
                    line = sites[:, i + a - REACH]
                    for b in range(b0, min(2 * REACH + 1, width - j + REACH), 2):
                        off = line[0, j + b - REACH] - line[1, j + b - REACH]
                        k = wy[a] * wx[b] if off == off else np.float32(0)
                        total[c] += k * off if off == off else np.float32(0)
                        weight[c] += k
                        square[c] += k * k
            for c in range(3):
                w = np.float32(1) / (slope[c] * max(light[y, x, c], np.float32(0)) + offset[c])
                sums[0, c, y, x] += w * total[c]
                sums[1, c, y, x] += w * weight[c]
                sums[2, c, y, x] += w * square[c]
                if weight[c] > 0:
                    sums[3, c, y, x] = max(sums[3, c, y, x], w)


@nb.njit(parallel=True, cache=True, nogil=True, fastmath=_FAST)
def gather_moments(sites, top, into, apart, first, pattern, slope, offset, light, kernels, moments):
    """Gather what the sites of red and blue measured beside the green that is predicted there.

    Parameters are as of `gather`, but ``sites``, float32 (3, rows, W), and ``moments``, float32 (2, 8, h, W), of red
    and blue, to which sums are added: of 1, green, value, green squared, green times value, value squared and the
    square of the departure, each weighted by the inverse of the variance, and of 1 without that.
    """
    _, rows, width = sites.shape
    height, across = light.shape[:2]
    for y in nb.prange(height):
        for x in range(across):
            sx, sy = place(into[0], x, first + y)
            for t in range(4):
                ty, tx = t // 2, t % 2
                c = pattern[ty, tx]
                if c == 1:
                    continue
                if apart and c == 2:
                    cx, cy = place(into[c], x, first + y)
                else:
                    cx, cy = sx, sy
                cy -= top
                i, j = int(np.floor(cy + 0.5)), int(np.floor(cx + 0.5))
                if not (0 <= i < rows and 0 <= j < width):
                    continue
                wy = kernels[c, int((cy - i + 0.5) * _STEPS + 0.5)]
                wx = kernels[c, int((cx - j + 0.5) * _STEPS + 0.5)]
                own = np.float32(1) / (slope[c] * max(light[y, x, c], np.float32(0)) + offset[c])
                n, mg, mv = np.float32(0), np.float32(0), np.float32(0)
                mgg, mgv, mvv, off = np.float32(0), np.float32(0), np.float32(0), np.float32(0)
                for a in range((ty + top + i) & 1, 2 * REACH + 1, 2):
                    row = i + a - REACH
                    if not 0 <= row < rows:
                        continue
                    for b in range((tx + j) & 1, 2 * REACH + 1, 2):
                        column = j + b - REACH
                        if not 0 <= column < width:
                            continue
                        v, g = sites[0, row, column], sites[2, row, column]
                        if v == v:
                            k = wy[a] * wx[b]
                            n += k
                            mg += k * g
                            mv += k * v
                            mgg += k * g * g
                            mgv += k * g * v
                            mvv += k * v * v
                            off += k * (v - sites[1, row, column]) ** 2
                m = c // 2
                moments[m, 0, y, x] += own * n
                moments[m, 1, y, x] += own * mg
                moments[m, 2, y, x] += own * mv
                moments[m, 3, y, x] += own * mgg
                moments[m, 4, y, x] += own * mgv
                moments[m, 5, y, x] += own * mvv
                moments[m, 6, y, x] += own * off
                moments[m, 7, y, x] += n
