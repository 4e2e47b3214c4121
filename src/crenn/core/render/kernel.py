"""The fused pass: a window of the radiance map through a pixel program, to light or to codes.

Hue is kept by moving along straight lines to grey in Oklab (Ottosson 2020).
"""

import numba as nb
import numpy as np

from crenn.core.render.step import TABLE_PER_STOP, TABLE_SIZE, TABLE_START
from crenn.core.spaces import LUMINANCE, REC2020_TO_SRGB, srgb_encode

_START, _PER, _LAST = np.float32(TABLE_START), np.float32(TABLE_PER_STOP), TABLE_SIZE - 2
_LR, _LG, _LB = (np.float32(v) for v in LUMINANCE)
_M = REC2020_TO_SRGB.astype(np.float32)
#: Codes of linear light, sampled evenly over its square root.
_CODES = srgb_encode(np.linspace(0, 1, 4097) ** 2).astype(np.float32)
#: Luminance of the picture from which colours begin to fade to white.
_FADE = np.float32(0.55)

#: Bits of the limits plane: red, green, blue at white; all at black.
CLIP_RED, CLIP_GREEN, CLIP_BLUE, CRUSHED = 1, 2, 4, 8


@nb.njit(inline="always", fastmath=True)
def _lookup(table, stop):
    p = (stop - _START) * _PER
    p = min(max(p, np.float32(0)), np.float32(_LAST + 1) - np.float32(1e-3))
    i = int(p)
    return table[i] + (p - np.float32(i)) * (table[i + 1] - table[i])


@nb.njit(inline="always", fastmath=True)
def _slice(cells, y, x, z):
    """Trilinear value of the grid."""
    h, w, d = cells.shape
    y = min(max(y, np.float32(0)), np.float32(h - 1.001))
    x = min(max(x, np.float32(0)), np.float32(w - 1.001))
    z = min(max(z, np.float32(0)), np.float32(d - 1.001))
    i, j, k = int(y), int(x), int(z)
    fy, fx, fz = y - np.float32(i), x - np.float32(j), z - np.float32(k)
    one = np.float32(1)
    a = (cells[i, j, k] * (one - fx) + cells[i, j + 1, k] * fx) * (one - fy) + (
        cells[i + 1, j, k] * (one - fx) + cells[i + 1, j + 1, k] * fx) * fy
    b = (cells[i, j, k + 1] * (one - fx) + cells[i, j + 1, k + 1] * fx) * (one - fy) + (
        cells[i + 1, j, k + 1] * (one - fx) + cells[i + 1, j + 1, k + 1] * fx) * fy
    return a * (one - fz) + b * fz


@nb.njit(inline="always", fastmath=True)
def _scene(r, g, b, matrix, cells, gy, gx, grid_start, grid_layer, floor, placement, placed, curve, curved):
    """Scene-linear steps on one pixel."""
    y0 = _LR * r + _LG * g + _LB * b
    red = matrix[0, 0] * r + matrix[0, 1] * g + matrix[0, 2] * b
    green = matrix[1, 0] * r + matrix[1, 1] * g + matrix[1, 2] * b
    blue = matrix[2, 0] * r + matrix[2, 1] * g + matrix[2, 2] * b
    ev = np.float32(0)
    if placed:
        stop = np.log2(max(y0, floor))
        base = _slice(cells, gy, gx, (stop - grid_start) / grid_layer)
        y1 = _LR * red + _LG * green + _LB * blue
        # The base stands in stops of the scene; exposure and white balance move it as they moved the pixel.
        moved = np.log2(max(y1, floor * np.float32(1e-6)) / y0) if y0 > floor else placement[placement.size - 1]
        ev = _lookup(placement, base + moved)
    if curved:
        y1 = (_LR * red + _LG * green + _LB * blue) * np.exp2(ev)
        ev += _lookup(curve, np.log2(max(y1, np.float32(1e-12))))
    if placed or curved:
        gain = np.exp2(ev)
        red, green, blue = red * gain, green * gain, blue * gain
    return red, green, blue


@nb.njit(inline="always", fastmath=True)
def _to_gamut(r, g, b, y):
    """Fade a bright or too saturated colour towards grey of luminance ``y``, keeping its hue."""
    zero, one = np.float32(0), np.float32(1)
    third = np.float32(1.0 / 3.0)
    l = np.float32(0.4122214708) * r + np.float32(0.5363325363) * g + np.float32(0.0514459929) * b
    m = np.float32(0.2119034982) * r + np.float32(0.6806995451) * g + np.float32(0.1073969566) * b
    s = np.float32(0.0883024619) * r + np.float32(0.2817188376) * g + np.float32(0.6299787005) * b
    l, m, s = max(l, zero) ** third, max(m, zero) ** third, max(s, zero) ** third
    grey = max(y, zero) ** third
    # From here all lies on the line between the colour and the grey, in the cone space before the cube.
    keep = one
    if y > _FADE:
        u = min((y - _FADE) / (one - _FADE), one)
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


@nb.njit(inline="always", fastmath=True)
def _show(r, g, b, display):
    """Display transform of one pixel: linear sRGB 0–1."""
    zero, one = np.float32(0), np.float32(1)
    y = _LR * r + _LG * g + _LB * b
    # A saturated light reaches white by its strongest colour before its luminance does.
    norm = max(np.float32(0.5) * (y + max(r, max(g, b))), np.float32(1e-12))
    shown = _lookup(display, np.log2(norm))
    k = shown / norm
    y = min(max(y * k, zero), one)
    red = (_M[0, 0] * r + _M[0, 1] * g + _M[0, 2] * b) * k
    green = (_M[1, 0] * r + _M[1, 1] * g + _M[1, 2] * b) * k
    blue = (_M[2, 0] * r + _M[2, 1] * g + _M[2, 2] * b) * k
    if shown > _FADE or min(red, min(green, blue)) < zero or max(red, max(green, blue)) > one:
        red, green, blue = _to_gamut(red, green, blue, max(y, shown) if shown > _FADE else y)
    return (min(max(red, zero), one), min(max(green, zero), one), min(max(blue, zero), one))


@nb.njit(inline="always", fastmath=True)
def _code(v):
    p = np.sqrt(v) * np.float32(4096)
    i = min(int(p), 4095)
    return _CODES[i] + (p - np.float32(i)) * (_CODES[i + 1] - _CODES[i])


@nb.njit(inline="always")
def _noise(y, x, c):
    """Even noise of ±½ that depends on the place alone; hides steps between codes."""
    n = np.uint32(y) * np.uint32(2654435761) ^ np.uint32(x) * np.uint32(2246822519) ^ np.uint32(c * 40503 + 977)
    n ^= n >> np.uint32(15)
    n *= np.uint32(739982445)
    n ^= n >> np.uint32(12)
    n *= np.uint32(695872825)
    n ^= n >> np.uint32(15)
    return np.float32(n & np.uint32(0xFFFF)) / np.float32(65536) - np.float32(0.5)


@nb.njit(parallel=True, cache=True, nogil=True, fastmath=True)
def scene_light(rgb, matrix, cells, origin_y, origin_x, step, grid_start, grid_layer, floor, placement, placed, curve,
                curved, out):
    """Scene-linear light after the program, float32 (h, w, 3)."""
    height, width = rgb.shape[:2]
    for y in nb.prange(height):
        gy = origin_y + np.float32(y) * step
        for x in range(width):
            r, g, b = _scene(rgb[y, x, 0], rgb[y, x, 1], rgb[y, x, 2], matrix, cells, gy,
                             origin_x + np.float32(x) * step, grid_start, grid_layer, floor, placement, placed, curve,
                             curved)
            out[y, x, 0], out[y, x, 1], out[y, x, 2] = r, g, b


@nb.njit(parallel=True, cache=True, nogil=True, fastmath=True)
def picture_codes(rgb, matrix, cells, origin_y, origin_x, step, grid_start, grid_layer, floor, placement, placed, curve,
                  curved, display, top, dither, out, limits):
    """The picture as sRGB codes 0 to ``top`` in ``out`` (h, w, 3), and its limits (h, w)."""
    height, width = rgb.shape[:2]
    white, black = np.float32(1.0 - 0.5 / 255), np.float32(0.5 / 255)
    for y in nb.prange(height):
        gy = origin_y + np.float32(y) * step
        for x in range(width):
            r, g, b = _scene(rgb[y, x, 0], rgb[y, x, 1], rgb[y, x, 2], matrix, cells, gy,
                             origin_x + np.float32(x) * step, grid_start, grid_layer, floor, placement, placed, curve,
                             curved)
            r, g, b = _show(r, g, b, display)
            r, g, b = _code(r), _code(g), _code(b)
            flags = 0
            if r >= white:
                flags |= 1
            if g >= white:
                flags |= 2
            if b >= white:
                flags |= 4
            if max(r, max(g, b)) <= black:
                flags |= 8
            limits[y, x] = flags
            out[y, x, 0] = int(min(max(r * top + np.float32(0.5) + dither * _noise(y, x, 0), np.float32(0)), top))
            out[y, x, 1] = int(min(max(g * top + np.float32(0.5) + dither * _noise(y, x, 1), np.float32(0)), top))
            out[y, x, 2] = int(min(max(b * top + np.float32(0.5) + dither * _noise(y, x, 2), np.float32(0)), top))
