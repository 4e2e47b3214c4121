"""The display: from rows of light to what a space can show of it, sRGB codes, and what clips.

Hue is kept by moving along straight lines to grey in Oklab (Ottosson 2020).
"""

from typing import NamedTuple

import numba as nb
import numpy as np

from crenn.core.colorimetry.spaces import (
    LUMINANCE,
    REC2020_TO_XYZ,
    SRGB_TO_XYZ,
    XYZ_TO_SRGB,
    srgb_decode,
    srgb_encode,
)
from crenn.core.fastmath import cbrt, log2
from crenn.core.pipeline.program import Program
from crenn.core.render.encode import KernelInputs
from crenn.core.render.rows import ROWS, lookup, run_row

_LR, _LG, _LB = (np.float32(v) for v in LUMINANCE)
#: Codes above the straight part, as a polynomial of the fourth root of light.
_ROOT = np.linspace(0.0031308**0.25, 1, 4001)
_P = np.polyfit(_ROOT, srgb_encode(_ROOT**4), 8)[::-1].astype(np.float32)
_ZERO, _HALF, _ONE = np.float32(0), np.float32(0.5), np.float32(1)
_TINY = np.float32(1e-12)
#: The greatest codes.
_EIGHT, _SIXTEEN = np.float32(255), np.float32(65535)
#: What stands in the place of what is not asked for.
_NO_LIGHT, _NO_BYTES, _NO_WORDS = (np.empty((0, 0, 3), kind) for kind in (np.float32, np.uint8, np.uint16))
#: From linear sRGB to cone responses (Ottosson 2020).
_CONES = np.array(
    [
        [0.4122214708, 0.5363325363, 0.0514459929],
        [0.2119034982, 0.6806995451, 0.1073969566],
        [0.0883024619, 0.2817188376, 0.6299787005],
    ]
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


def space_of(to_xyz: np.ndarray) -> np.ndarray:
    """What the display needs to know of a space, float32 (3, 3, 3).

    Parameters
    ----------
    to_xyz : ndarray (3, 3)
        From its linear light to XYZ; its white is D65.

    Returns
    -------
    ndarray
        Matrices from linear Rec. 2020 to its linear light, from that to cone responses, and back.
    """
    cones = _CONES @ XYZ_TO_SRGB @ to_xyz
    return np.stack([np.linalg.inv(to_xyz) @ REC2020_TO_XYZ, cones, np.linalg.inv(cones)]).astype(np.float32)


#: The space of screens (IEC 61966-2-1).
SRGB = space_of(SRGB_TO_XYZ)


@nb.njit(inline="always", fastmath=True, error_model="numpy")
def _channels(t, l, m, s, grey, back):
    """Linear light of the space at a share of the way from grey, for cone responses before the cube less the grey's."""
    l, m, s = grey + t * l, grey + t * m, grey + t * s
    l, m, s = l * l * l, m * m * m, s * s * s
    return (
        back[0, 0] * l + back[0, 1] * m + back[0, 2] * s,
        back[1, 0] * l + back[1, 1] * m + back[1, 2] * s,
        back[2, 0] * l + back[2, 1] * m + back[2, 2] * s,
    )


@nb.njit(inline="always", fastmath=True, error_model="numpy")
def _outside(r, g, b):
    """How far the worst channel lies outside 0 to 1; at most 0 inside."""
    return max(-_UNDER - min(r, min(g, b)), max(r, max(g, b)) - _OVER)


@nb.njit(fastmath=True, error_model="numpy")
def _border(keep, l, m, s, grey, out, back):
    """The share of the way from grey at which a colour leaves the gamut, by the Illinois variant of regula falsi."""
    low, high = _ZERO, keep
    r, g, b = _channels(_ZERO, l, m, s, grey, back)
    inside = _outside(r, g, b)
    if inside >= _ZERO:
        return _ZERO
    for _ in range(_STEPS):
        t = low + (high - low) * inside / (inside - out)
        r, g, b = _channels(t, l, m, s, grey, back)
        at = _outside(r, g, b)
        if at > _ZERO:
            high, out = t, at
            inside *= _HALF
        else:
            low, inside = t, at
            out *= _HALF
    return low


@nb.njit(fastmath=True, error_model="numpy")
def _into_gamut(r, g, b, stop, shown, begin, space, work):
    """Fade bright or too saturated colours towards grey of their luminance ``stop``, keeping their hue, in place.

    From the luminance ``begin`` of the picture on they fade to white. Where a colour could not be shown in spite of
    that ``shown`` becomes negative.

    They move along a line in the cone space before the cube. Those that need it are packed together first, so that the
    compiler can work on many at once.
    """
    cones, back = space[1], space[2]
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
        one = cones[0, 0] * red + cones[0, 1] * green + cones[0, 2] * blue
        two = cones[1, 0] * red + cones[1, 1] * green + cones[1, 2] * blue
        three = cones[2, 0] * red + cones[2, 1] * green + cones[2, 2] * blue
        grey[i] = cbrt(grey[i])
        l[i], m[i], s[i] = cbrt(one) - grey[i], cbrt(two) - grey[i], cbrt(three) - grey[i]
    for i in range(count):
        x = int(at[i])
        red, green, blue = _channels(keep[i], l[i], m[i], s[i], grey[i], back)
        out = _outside(red, green, blue)
        if out > _ZERO:
            if out > _BEYOND * shown[x] and shown[x] > _LIT:
                shown[x] = -_ONE
            t = _border(keep[i], l[i], m[i], s[i], grey[i], out, back)
            red, green, blue = _channels(t, l[i], m[i], s[i], grey[i], back)
        r[x], g[x], b[x] = red, green, blue


@nb.njit(fastmath=True, error_model="numpy")
def _show_row(r, g, b, ev, display, begin, space, work):
    """Display transform of a row: scene-linear in, with EV not yet applied, light 0–1 of a space out, in place."""
    matrix = space[0]
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
        r[x] = matrix[0, 0] * red + matrix[0, 1] * green + matrix[0, 2] * blue
        g[x] = matrix[1, 0] * red + matrix[1, 1] * green + matrix[1, 2] * blue
        b[x] = matrix[2, 0] * red + matrix[2, 1] * green + matrix[2, 2] * blue
    _into_gamut(r, g, b, stop, shown, begin, space, work[2:])


@nb.njit(fastmath=True, error_model="numpy")
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


@nb.njit(inline="always", error_model="numpy")
def _scatter(y, x):
    """Even random bits that depend on the place alone."""
    n = np.uint32(y) * np.uint32(2654435761) ^ np.uint32(x) * np.uint32(2246822519)
    n ^= n >> np.uint32(15)
    n *= np.uint32(739982445)
    n ^= n >> np.uint32(12)
    n *= np.uint32(695872825)
    return n ^ (n >> np.uint32(15))


@nb.njit(inline="always", fastmath=True, error_model="numpy")
def _round(v, top, dither, bits):
    """A code, rounded; ``dither`` 1 adds even noise of ±½ that hides steps between codes."""
    noise = np.float32(bits & np.uint32(0x3FF)) * np.float32(1.0 / 1024) - _HALF
    return np.int32(min(max(v * top + _HALF + dither * noise, _ZERO), top))


class Display(NamedTuple):
    """How light is shown.

    Attributes
    ----------
    table : ndarray, float32 (TABLE_SIZE,)
        Luminance of the picture over the stop, in shares of the brightest that is shown.
    begin : float32
        The share of that from which colours fade to white.
    space : ndarray, float32 (3, 3, 3)
        See `space_of`.
    """

    table: np.ndarray
    begin: np.float32
    space: np.ndarray

    @classmethod
    def of(cls, program: Program, space: np.ndarray = SRGB, peak: float = 1.0) -> "Display":
        """The display of a program in a space; ``peak`` is the brightest that is shown, 1 being white."""
        return cls((program.reaching(peak) / peak).astype(np.float32), np.float32(program.fade), space)


@nb.njit(fastmath=True, error_model="numpy")
def _shown_row(inputs, display, y, limits, work):
    """A row of the picture as linear light 0–1 in the first three rows of ``work``, and its limits."""
    run_row(inputs, np.int64(y), work)
    r, g, b = work[0], work[1], work[2]
    _show_row(r, g, b, work[3], display.table, display.begin, display.space, work[4:])
    for x in range(limits.size):
        red, green, blue = min(max(r[x], _ZERO), _ONE), min(max(g[x], _ZERO), _ONE), min(max(b[x], _ZERO), _ONE)
        flags = CLIP_RED * int(red >= _WHITE) + CLIP_GREEN * int(green >= _WHITE) + CLIP_BLUE * int(blue >= _WHITE)
        flags += CRUSHED * int(max(red, max(green, blue)) <= _BLACK)
        # The second of the display's rows: see `_into_gamut`.
        limits[x] = flags + OUTSIDE * int(work[5, x] < _ZERO)
        r[x], g[x], b[x] = red, green, blue


@nb.njit(fastmath=True, error_model="numpy")
def _codes_row(r, g, b, y, eight, sixteen):
    """A row of linear light 0–1 as codes of 8 bits, with noise that hides steps, or of 16, in row ``y`` of the one that
    is not empty; the light is overwritten."""
    _encode(r)
    _encode(g)
    _encode(b)
    if eight.size:
        for x in range(r.size):
            noise = _scatter(np.int64(y), x)
            eight[y, x, 0] = _round(r[x], _EIGHT, _ONE, noise)
            eight[y, x, 1] = _round(g[x], _EIGHT, _ONE, noise >> np.uint32(11))
            eight[y, x, 2] = _round(b[x], _EIGHT, _ONE, noise >> np.uint32(22))
    else:
        for x in range(r.size):
            sixteen[y, x, 0] = _round(r[x], _SIXTEEN, _ZERO, np.uint32(0))
            sixteen[y, x, 1] = _round(g[x], _SIXTEEN, _ZERO, np.uint32(0))
            sixteen[y, x, 2] = _round(b[x], _SIXTEEN, _ZERO, np.uint32(0))


@nb.njit(parallel=True, cache=True, nogil=True, fastmath=True, error_model="numpy")
def _shown(inputs, display, light, eight, sixteen, limits):
    """The picture in the one of three that is not empty: one kernel for all, as each takes half a minute to compile."""
    for y in nb.prange(limits.shape[0]):
        work = np.empty((_ROWS, limits.shape[1]), np.float32)
        _shown_row(inputs, display, y, limits[y], work)
        if light.size:
            for x in range(limits.shape[1]):
                light[y, x, 0], light[y, x, 1], light[y, x, 2] = work[0, x], work[1, x], work[2, x]
        else:
            _codes_row(work[0], work[1], work[2], y, eight, sixteen)


def shown_of(inputs: KernelInputs, display: Display) -> tuple[np.ndarray, np.ndarray]:
    """The picture as linear light of the display's space, in shares of the brightest that is shown, float32 (h, w, 3),
    and its limits, uint8 (h, w)."""
    light = np.empty(inputs.light.shape, np.float32)
    limits = np.empty(light.shape[:2], np.uint8)
    _shown(inputs, display, light, _NO_BYTES, _NO_WORDS, limits)
    return light, limits


def codes_of(inputs: KernelInputs, display: Display, bits: int) -> tuple[np.ndarray, np.ndarray]:
    """The picture as codes of 8 or 16 bits, (h, w, 3), with the curve of sRGB, and its limits, uint8 (h, w)."""
    eight, sixteen, codes = _codes(inputs.light.shape, bits)
    limits = np.empty(codes.shape[:2], np.uint8)
    _shown(inputs, display, _NO_LIGHT, eight, sixteen, limits)
    return codes, limits


def _codes(shape: tuple[int, ...], bits: int) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Room for codes of 8 bits and of 16, of which one is empty, and the other again."""
    if bits == 8:
        codes = np.empty(shape, np.uint8)
        return codes, _NO_WORDS, codes
    codes = np.empty(shape, np.uint16)
    return _NO_BYTES, codes, codes


@nb.njit(parallel=True, cache=True, nogil=True, fastmath=True, error_model="numpy")
def _encoded(light, eight, sixteen):
    width = light.shape[1]
    for y in nb.prange(light.shape[0]):
        work = np.empty((3, width), np.float32)
        for x in range(width):
            work[0, x], work[1, x], work[2, x] = light[y, x, 0], light[y, x, 1], light[y, x, 2]
        _codes_row(work[0], work[1], work[2], y, eight, sixteen)


def encoded(light: np.ndarray, bits: int) -> np.ndarray:
    """Linear light 0–1, float32 (h, w, 3), as codes of 8 or 16 bits with the curve of sRGB; those of 8 are dithered."""
    eight, sixteen, codes = _codes(light.shape, bits)
    _encoded(np.ascontiguousarray(light), eight, sixteen)
    return codes
