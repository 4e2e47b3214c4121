"""The display: from rows of light to the picture's sRGB codes, and what clips.

Hue is kept by moving along straight lines to grey in Oklab (Ottosson 2020).
"""

from typing import NamedTuple

import numba as nb
import numpy as np

from crenn.core.colorimetry.spaces import LUMINANCE, REC2020_TO_SRGB, srgb_decode, srgb_encode
from crenn.core.fastmath import cbrt, log2
from crenn.core.pipeline.program import Program
from crenn.core.render.rows import ROWS, lookup, run_row

_LR, _LG, _LB = (np.float32(v) for v in LUMINANCE)
_M = REC2020_TO_SRGB.astype(np.float32)
#: Codes above the straight part, as a polynomial of the fourth root of light.
_ROOT = np.linspace(0.0031308**0.25, 1, 4001)
_P = np.polyfit(_ROOT, srgb_encode(_ROOT**4), 8)[::-1].astype(np.float32)
_ZERO, _HALF, _ONE = np.float32(0), np.float32(0.5), np.float32(1)
_TINY = np.float32(1e-12)
#: From cone responses to linear sRGB (Ottosson 2020).
_S = np.array(
    [
        [4.0767416621, -3.3077115913, 0.2309699292],
        [-1.2684380046, 2.6097574011, -0.3413193965],
        [-0.0041960863, -0.7034186147, 1.7076147010],
    ],
    np.float32,
)
#: How far outside 0 to 1 a channel may be taken to lie inside.
_UNDER, _OVER = np.float32(1e-4), np.float32(1.0005)
#: Steps by which the border of the gamut is closed in on.
_STEPS = 6

#: Rows of work: the program's first four, then the display's.
_ROWS = max(ROWS, 12)

#: Light from which on a channel is at white, and up to which it is at black: half a code of 8 bits from either end.
_WHITE, _BLACK = (np.float32(v) for v in srgb_decode(np.array([1.0 - 0.5 / 255, 0.5 / 255])))
#: Bits of the limits plane: red, green, blue at white; all at black; a colour that sRGB could not show.
CLIP_RED, CLIP_GREEN, CLIP_BLUE, CRUSHED, OUTSIDE = 1, 2, 4, 8, 16
#: How far a channel must lie outside 0 to 1 for that, in shares of the picture's luminance, once bright colours have
#: faded; and how light the place must be.
_BEYOND, _LIT = np.float32(0.01), np.float32(2e-3)


@nb.njit(inline="always", fastmath=True)
def _channels(t, l, m, s, grey):
    """Linear sRGB at a share of the way from grey, for cone responses before the cube less the grey's."""
    l, m, s = grey + t * l, grey + t * m, grey + t * s
    l, m, s = l * l * l, m * m * m, s * s * s
    return (
        _S[0, 0] * l + _S[0, 1] * m + _S[0, 2] * s,
        _S[1, 0] * l + _S[1, 1] * m + _S[1, 2] * s,
        _S[2, 0] * l + _S[2, 1] * m + _S[2, 2] * s,
    )


@nb.njit(inline="always", fastmath=True)
def _outside(r, g, b):
    """How far the worst channel lies outside 0 to 1; at most 0 inside."""
    return max(-_UNDER - min(r, min(g, b)), max(r, max(g, b)) - _OVER)


@nb.njit(fastmath=True)
def _border(keep, l, m, s, grey, out):
    """The share of the way from grey at which a colour leaves the gamut, by the Illinois variant of regula falsi."""
    low, high = _ZERO, keep
    r, g, b = _channels(_ZERO, l, m, s, grey)
    inside = _outside(r, g, b)
    if inside >= _ZERO:
        return _ZERO
    for _ in range(_STEPS):
        t = low + (high - low) * inside / (inside - out)
        r, g, b = _channels(t, l, m, s, grey)
        at = _outside(r, g, b)
        if at > _ZERO:
            high, out = t, at
            inside *= _HALF
        else:
            low, inside = t, at
            out *= _HALF
    return low


@nb.njit(fastmath=True)
def _into_gamut(r, g, b, stop, shown, begin, work):
    """Fade bright or too saturated colours towards grey of their luminance ``stop``, keeping their hue, in place.

    From the luminance ``begin`` of the picture on they fade to white. Where a colour could not be shown in spite of
    that ``shown`` becomes negative.

    They move along a line in the cone space before the cube. Those that need it are packed together first, so that the
    compiler can work on many at once.
    """
    at, l, m, s, grey, keep = work[0], work[1], work[2], work[3], work[4], work[5]
    count = 0
    for x in range(r.size):
        # Written in any case and kept if it counts: a branch here would be foretold wrongly half the time.
        at[count] = np.float32(x)
        l[count], m[count], s[count] = r[x], g[x], b[x]
        y = min(max(stop[x], _ZERO), _ONE)
        bright = shown[x] > begin
        # A saturated light's luminance is less than what it is shown as: it rises to that as the colour fades.
        u = min(max((shown[x] - begin) / (_ONE - begin), _ZERO), _ONE)
        fade = u * u * (np.float32(3) - np.float32(2) * u)
        grey[count] = y + fade * (max(y, shown[x]) - y)
        keep[count] = _ONE - fade
        low, high = min(r[x], min(g[x], b[x])), max(r[x], max(g[x], b[x]))
        count += int(bright | (low < _ZERO) | (high > _ONE))
    for i in range(count):
        red, green, blue = l[i], m[i], s[i]
        one = np.float32(0.4122214708) * red + np.float32(0.5363325363) * green + np.float32(0.0514459929) * blue
        two = np.float32(0.2119034982) * red + np.float32(0.6806995451) * green + np.float32(0.1073969566) * blue
        three = np.float32(0.0883024619) * red + np.float32(0.2817188376) * green + np.float32(0.6299787005) * blue
        grey[i] = cbrt(grey[i])
        l[i], m[i], s[i] = cbrt(one) - grey[i], cbrt(two) - grey[i], cbrt(three) - grey[i]
    for i in range(count):
        x = int(at[i])
        red, green, blue = _channels(keep[i], l[i], m[i], s[i], grey[i])
        out = _outside(red, green, blue)
        if out > _ZERO:
            if out > _BEYOND * shown[x] and shown[x] > _LIT:
                shown[x] = -_ONE
            t = _border(keep[i], l[i], m[i], s[i], grey[i], out)
            red, green, blue = _channels(t, l[i], m[i], s[i], grey[i])
        r[x], g[x], b[x] = red, green, blue


@nb.njit(fastmath=True)
def _show_row(r, g, b, ev, display, begin, work):
    """Display transform of a row: scene-linear in, with EV not yet applied, linear sRGB 0–1 out, in place."""
    width = r.size
    stop, shown = work[0], work[1]
    for x in range(width):
        # A saturated light reaches white by its strongest colour before its luminance does.
        norm = _HALF * (_LR * r[x] + _LG * g[x] + _LB * b[x] + max(r[x], max(g[x], b[x])))
        norm = max(norm, _TINY)
        stop[x] = log2(norm) + ev[x]
        ev[x] = _ONE / norm
    for x in range(width):
        shown[x] = lookup(display, stop[x])
    for x in range(width):
        k = shown[x] * ev[x]
        red, green, blue = r[x] * k, g[x] * k, b[x] * k
        stop[x] = _LR * red + _LG * green + _LB * blue
        r[x] = _M[0, 0] * red + _M[0, 1] * green + _M[0, 2] * blue
        g[x] = _M[1, 0] * red + _M[1, 1] * green + _M[1, 2] * blue
        b[x] = _M[2, 0] * red + _M[2, 1] * green + _M[2, 2] * blue
    _into_gamut(r, g, b, stop, shown, begin, work[2:])


@nb.njit(fastmath=True)
def _encode(v):
    """Codes 0–1 of a row of linear light, in place (IEC 61966-2-1).

    The power is a polynomial of the fourth root, exact to 4e-7.
    """
    for x in range(v.size):
        light = min(max(v[x], _ZERO), _ONE)
        t = np.sqrt(np.sqrt(light))
        p = _P[8]
        p = _P[7] + t * p
        p = _P[6] + t * p
        p = _P[5] + t * p
        p = _P[4] + t * p
        p = _P[3] + t * p
        p = _P[2] + t * p
        p = _P[1] + t * p
        p = _P[0] + t * p
        v[x] = np.float32(12.92) * light if light <= np.float32(0.0031308) else min(p, _ONE)


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


class Display(NamedTuple):
    """How light is shown.

    Attributes
    ----------
    table : ndarray, float32 (TABLE_SIZE,)
        Luminance 0–1 of the picture over the stop.
    begin : float32
        Luminance of the picture from which colours fade to white.
    most : float32
        The greatest code.
    dither : float32
        1 for even noise of ±½ code that hides steps between codes, else 0.
    """

    table: np.ndarray
    begin: np.float32
    most: np.float32
    dither: np.float32

    @classmethod
    def of(cls, program: Program, bits: int) -> "Display":
        """The display of a program, with codes of 8 or 16 bits; those of 8 are dithered."""
        numbers = (np.float32(v) for v in (program.fade, 2**bits - 1, bits == 8))
        return cls(program.shown.astype(np.float32), *numbers)


@nb.njit(fastmath=True)
def _shown_row(inputs, display, y, limits, work):
    """A row of the picture as linear sRGB 0–1 in the first three rows of ``work``, and its limits."""
    run_row(inputs, np.int64(y), work)
    r, g, b = work[0], work[1], work[2]
    _show_row(r, g, b, work[3], display.table, display.begin, work[4:])
    for x in range(limits.size):
        red, green, blue = min(max(r[x], _ZERO), _ONE), min(max(g[x], _ZERO), _ONE), min(max(b[x], _ZERO), _ONE)
        flags = CLIP_RED * int(red >= _WHITE) + CLIP_GREEN * int(green >= _WHITE) + CLIP_BLUE * int(blue >= _WHITE)
        flags += CRUSHED * int(max(red, max(green, blue)) <= _BLACK)
        # The second of the display's rows: see `_into_gamut`.
        limits[x] = flags + OUTSIDE * int(work[5, x] < _ZERO)
        r[x], g[x], b[x] = red, green, blue


@nb.njit(fastmath=True)
def _codes_row(r, g, b, y, most, dither, out):
    """A row of linear light 0–1 as codes in ``out`` (w, 3); the light is overwritten."""
    _encode(r)
    _encode(g)
    _encode(b)
    for x in range(r.size):
        noise = _scatter(np.int64(y), x)
        out[x, 0] = _round(r[x], most, dither, noise)
        out[x, 1] = _round(g[x], most, dither, noise >> np.uint32(11))
        out[x, 2] = _round(b[x], most, dither, noise >> np.uint32(22))


@nb.njit(parallel=True, cache=True, nogil=True, fastmath=True)
def codes_of(inputs, display, out, limits):
    """The picture as sRGB codes in ``out`` (h, w, 3), and its limits (h, w), of `crenn.core.render.encode.KernelInputs`
    and a `Display`."""
    for y in nb.prange(out.shape[0]):
        work = np.empty((_ROWS, out.shape[1]), np.float32)
        _shown_row(inputs, display, y, limits[y], work)
        _codes_row(work[0], work[1], work[2], y, display.most, display.dither, out[y])


@nb.njit(parallel=True, cache=True, nogil=True, fastmath=True)
def shown_of(inputs, display, out, limits):
    """The picture as linear sRGB light 0–1 in ``out``, float32 (h, w, 3), and its limits; else as `codes_of`."""
    for y in nb.prange(out.shape[0]):
        work = np.empty((_ROWS, out.shape[1]), np.float32)
        _shown_row(inputs, display, y, limits[y], work)
        for x in range(out.shape[1]):
            out[y, x, 0], out[y, x, 1], out[y, x, 2] = work[0, x], work[1, x], work[2, x]


@nb.njit(parallel=True, cache=True, nogil=True, fastmath=True)
def _encoded(light, most, dither, out):
    width = light.shape[1]
    for y in nb.prange(light.shape[0]):
        work = np.empty((3, width), np.float32)
        for x in range(width):
            work[0, x], work[1, x], work[2, x] = light[y, x, 0], light[y, x, 1], light[y, x, 2]
        _codes_row(work[0], work[1], work[2], y, most, dither, out[y])


def encoded(light: np.ndarray, bits: int) -> np.ndarray:
    """Linear sRGB light 0–1, float32 (h, w, 3), as codes of 8 or 16 bits; those of 8 are dithered."""
    out = np.empty(light.shape, np.uint8 if bits == 8 else np.uint16)
    _encoded(np.ascontiguousarray(light), np.float32(2**bits - 1), np.float32(bits == 8), out)
    return out
