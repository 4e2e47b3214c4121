"""The fused pass: a window of the radiance map through a pixel program, to light or to codes.

Hue is kept by moving along straight lines to grey in Oklab (Ottosson 2020).
"""

import numba as nb
import numpy as np

from crenn.core.colour.spaces import LUMINANCE, REC2020_TO_SRGB, srgb_encode
from crenn.core.fastmath import cbrt, exp2, log2
from crenn.core.steps import TABLE_PER_STOP, TABLE_SIZE, TABLE_START

_START, _PER, _LAST = np.float32(TABLE_START), np.float32(TABLE_PER_STOP), TABLE_SIZE - 2
_LR, _LG, _LB = (np.float32(v) for v in LUMINANCE)
_M = REC2020_TO_SRGB.astype(np.float32)
#: Codes of linear light, sampled evenly over its square root, finely enough for 16 bits without interpolation.
_CODES = srgb_encode(np.linspace(0, 1, 65537) ** 2).astype(np.float32)
_TOP_CODE = np.uint32(65536)
#: Luminance of the picture from which colours begin to fade to white.
_FADE = np.float32(0.55)
_ZERO, _HALF, _ONE = np.float32(0), np.float32(0.5), np.float32(1)

#: Bits of the limits plane: red, green, blue at white; all at black.
CLIP_RED, CLIP_GREEN, CLIP_BLUE, CRUSHED = 1, 2, 4, 8


@nb.njit(inline="always", fastmath=True)
def _lookup(table, stop):
    p = min(max((stop - _START) * _PER, _ZERO), np.float32(_LAST + 0.999))
    # Whole numbers are held once more: what is not a number passes the line above.
    i = min(np.uint32(p), np.uint32(_LAST))
    return table[i] + (p - np.float32(i)) * (table[i + np.uint32(1)] - table[i])


@nb.njit(fastmath=True)
def _placed_ev(cells, gy, gx, step, grid_start, grid_layer, relief, stop, ev):
    """EV that placement adds along a row: the grid is mixed for the row once, then read at (column, stop).

    ``relief`` times the pixel's own stop is added; the grid holds as much of the base taken off.
    """
    rows, columns, layers = cells.shape
    gy = min(max(gy, _ZERO), np.float32(rows - 1.001))
    i = min(max(int(gy), 0), rows - 2)
    share = gy - np.float32(i)
    plane = np.empty((columns, layers), np.float32)
    for j in range(columns):
        for k in range(layers):
            plane[j, k] = cells[i, j, k] + share * (cells[i + 1, j, k] - cells[i, j, k])
    last_x, last_z = np.float32(columns - 1.001), np.float32(layers - 1.001)
    per_layer = _ONE / grid_layer
    for x in range(stop.size):
        px = min(max(gx + np.float32(x) * step, _ZERO), last_x)
        pz = min(max((stop[x] - grid_start) * per_layer, _ZERO), last_z)
        m, n = min(np.uint32(px), np.uint32(columns - 2)), min(np.uint32(pz), np.uint32(layers - 2))
        fx, fz = px - np.float32(m), pz - np.float32(n)
        a = plane[m, n] + fz * (plane[m, n + np.uint32(1)] - plane[m, n])
        b = plane[m + np.uint32(1), n] + fz * (plane[m + np.uint32(1), n + np.uint32(1)] - plane[m + np.uint32(1), n])
        ev[x] = a + fx * (b - a) + relief * stop[x]


@nb.njit(fastmath=True)
def _scene_row(
    rgb, matrix, cells, gy, gx, step, grid_start, grid_layer, floor, relief, placed, curve, curved, r, g, b, stop, ev
):
    """Scene-linear steps on a row. One plain loop a stage, so that the compiler can work on many pixels at once."""
    width = rgb.shape[0]
    m00, m01, m02, m10, m11, m12, m20, m21, m22 = (
        matrix[0, 0],
        matrix[0, 1],
        matrix[0, 2],
        matrix[1, 0],
        matrix[1, 1],
        matrix[1, 2],
        matrix[2, 0],
        matrix[2, 1],
        matrix[2, 2],
    )
    for x in range(width):
        red, green, blue = rgb[x, 0], rgb[x, 1], rgb[x, 2]
        stop[x] = log2(max(_LR * red + _LG * green + _LB * blue, floor))
        r[x] = m00 * red + m01 * green + m02 * blue
        g[x] = m10 * red + m11 * green + m12 * blue
        b[x] = m20 * red + m21 * green + m22 * blue
    if placed:
        _placed_ev(cells, gy, gx, step, grid_start, grid_layer, relief, stop, ev)
        for x in range(width):
            gain = exp2(ev[x])
            r[x] *= gain
            g[x] *= gain
            b[x] *= gain
    if curved:
        for x in range(width):
            stop[x] = log2(max(_LR * r[x] + _LG * g[x] + _LB * b[x], np.float32(1e-12)))
        for x in range(width):
            ev[x] = _lookup(curve, stop[x])
        for x in range(width):
            gain = exp2(ev[x])
            r[x] *= gain
            g[x] *= gain
            b[x] *= gain


@nb.njit(inline="always", fastmath=True)
def _to_gamut(r, g, b, y, shown):
    """Fade a bright or too saturated colour towards grey of luminance ``y``, keeping its hue."""
    zero, one = _ZERO, _ONE
    l = np.float32(0.4122214708) * r + np.float32(0.5363325363) * g + np.float32(0.0514459929) * b
    m = np.float32(0.2119034982) * r + np.float32(0.6806995451) * g + np.float32(0.1073969566) * b
    s = np.float32(0.0883024619) * r + np.float32(0.2817188376) * g + np.float32(0.6299787005) * b
    l, m, s, grey = cbrt(l), cbrt(m), cbrt(s), cbrt(y)
    # From here all lies on the line between the colour and the grey, in the cone space before the cube.
    keep = one
    if shown > _FADE:
        u = min((shown - _FADE) / (one - _FADE), one)
        keep = one - u * u * (np.float32(3) - np.float32(2) * u)
    low, high = zero, keep
    t = keep
    for i in range(8):
        lc, mc, sc = grey + t * (l - grey), grey + t * (m - grey), grey + t * (s - grey)
        lc, mc, sc = lc * lc * lc, mc * mc * mc, sc * sc * sc
        r = np.float32(4.0767416621) * lc - np.float32(3.3077115913) * mc + np.float32(0.2309699292) * sc
        g = np.float32(-1.2684380046) * lc + np.float32(2.6097574011) * mc - np.float32(0.3413193965) * sc
        b = np.float32(-0.0041960863) * lc - np.float32(0.7034186147) * mc + np.float32(1.7076147010) * sc
        inside = min(r, min(g, b)) >= np.float32(-1e-4) and max(r, max(g, b)) <= np.float32(1.0005)
        if inside:
            low = t
            if i == 0:
                break
        else:
            high = t
        t = np.float32(0.5) * (low + high)
    return r, g, b


@nb.njit(fastmath=True)
def _show_row(r, g, b, display, stop, shown):
    """Display transform of a row: scene-linear in, linear sRGB 0–1 out, in place."""
    width = r.size
    for x in range(width):
        # A saturated light reaches white by its strongest colour before its luminance does.
        norm = _HALF * (_LR * r[x] + _LG * g[x] + _LB * b[x] + max(r[x], max(g[x], b[x])))
        stop[x] = log2(max(norm, np.float32(1e-12)))
    for x in range(width):
        shown[x] = _lookup(display, stop[x])
    for x in range(width):
        k = shown[x] * exp2(-stop[x])
        red, green, blue = r[x] * k, g[x] * k, b[x] * k
        stop[x] = _LR * red + _LG * green + _LB * blue
        r[x] = _M[0, 0] * red + _M[0, 1] * green + _M[0, 2] * blue
        g[x] = _M[1, 0] * red + _M[1, 1] * green + _M[1, 2] * blue
        b[x] = _M[2, 0] * red + _M[2, 1] * green + _M[2, 2] * blue
    for x in range(width):
        low, high = min(r[x], min(g[x], b[x])), max(r[x], max(g[x], b[x]))
        if shown[x] > _FADE or low < _ZERO or high > _ONE:
            y = min(max(stop[x], _ZERO), _ONE)
            r[x], g[x], b[x] = _to_gamut(r[x], g[x], b[x], max(y, shown[x]) if shown[x] > _FADE else y, shown[x])
    for x in range(width):
        r[x] = min(max(r[x], _ZERO), _ONE)
        g[x] = min(max(g[x], _ZERO), _ONE)
        b[x] = min(max(b[x], _ZERO), _ONE)


@nb.njit(inline="always")
def _scatter(y, x):
    """Even random bits that depend on the place alone."""
    n = np.uint32(y) * np.uint32(2654435761) ^ np.uint32(x) * np.uint32(2246822519)
    n ^= n >> np.uint32(15)
    n *= np.uint32(739982445)
    n ^= n >> np.uint32(12)
    n *= np.uint32(695872825)
    return n ^ (n >> np.uint32(15))


@nb.njit(inline="always", fastmath=True)
def _round(v, top, dither, bits):
    """A code, rounded; ``dither`` 1 adds even noise of ±½ that hides steps between codes."""
    noise = np.float32(bits & np.uint32(0x3FF)) * np.float32(1.0 / 1024) - _HALF
    return np.int32(min(max(v * top + _HALF + dither * noise, _ZERO), top))


@nb.njit(parallel=True, cache=True, nogil=True, fastmath=True)
def scene_light(
    rgb, matrix, cells, origin_y, origin_x, step, grid_start, grid_layer, floor, relief, placed, curve, curved, out
):
    """Scene-linear light after the program, float32 (h, w, 3)."""
    height, width = rgb.shape[:2]
    for y in nb.prange(height):
        work = np.empty((5, width), np.float32)
        r, g, b = work[0], work[1], work[2]
        _scene_row(
            rgb[y],
            matrix,
            cells,
            origin_y + np.float32(y) * step,
            origin_x,
            step,
            grid_start,
            grid_layer,
            floor,
            relief,
            placed,
            curve,
            curved,
            r,
            g,
            b,
            work[3],
            work[4],
        )
        for x in range(width):
            out[y, x, 0], out[y, x, 1], out[y, x, 2] = r[x], g[x], b[x]


@nb.njit(parallel=True, cache=True, nogil=True, fastmath=True)
def picture_codes(
    rgb,
    matrix,
    cells,
    origin_y,
    origin_x,
    step,
    grid_start,
    grid_layer,
    floor,
    relief,
    placed,
    curve,
    curved,
    display,
    top,
    dither,
    out,
    limits,
):
    """The picture as sRGB codes 0 to ``top`` in ``out`` (h, w, 3), and its limits (h, w)."""
    height, width = rgb.shape[:2]
    white, black = np.float32(1.0 - 0.5 / 255), np.float32(0.5 / 255)
    for y in nb.prange(height):
        work = np.empty((5, width), np.float32)
        r, g, b = work[0], work[1], work[2]
        _scene_row(
            rgb[y],
            matrix,
            cells,
            origin_y + np.float32(y) * step,
            origin_x,
            step,
            grid_start,
            grid_layer,
            floor,
            relief,
            placed,
            curve,
            curved,
            r,
            g,
            b,
            work[3],
            work[4],
        )
        _show_row(r, g, b, display, work[3], work[4])
        for x in range(width):
            r[x] = np.sqrt(r[x]) * np.float32(65536)
            g[x] = np.sqrt(g[x]) * np.float32(65536)
            b[x] = np.sqrt(b[x]) * np.float32(65536)
        for x in range(width):
            red = _CODES[min(np.uint32(r[x]), _TOP_CODE)]
            green = _CODES[min(np.uint32(g[x]), _TOP_CODE)]
            blue = _CODES[min(np.uint32(b[x]), _TOP_CODE)]
            flags = 0
            if red >= white:
                flags |= 1
            if green >= white:
                flags |= 2
            if blue >= white:
                flags |= 4
            if max(red, max(green, blue)) <= black:
                flags |= 8
            limits[y, x] = flags
            noise = _scatter(y, x)
            out[y, x, 0] = _round(red, top, dither, noise)
            out[y, x, 1] = _round(green, top, dither, noise >> np.uint32(11))
            out[y, x, 2] = _round(blue, top, dither, noise >> np.uint32(22))
