"""Single colours of a row: into Oklab and back, and what a table changes there."""

import numba as nb
import numpy as np

from crenn.core.colorimetry.oklab import LAB_TO_ROOTS, LMS_TO_REC2020, REC2020_TO_LMS, ROOTS_TO_LAB
from crenn.core.fastmath import cbrt, log2
from crenn.core.pipeline.colours import HUES, MOST, SATURATIONS, STOPS

_IN, _ROOTS = REC2020_TO_LMS.astype(np.float32), ROOTS_TO_LAB.astype(np.float32)
_BACK, _OUT = LAB_TO_ROOTS.astype(np.float32), LMS_TO_REC2020.astype(np.float32)
_ZERO, _ONE, _TINY = np.float32(0), np.float32(1), np.float32(1e-7)
#: Saturation below which rounding tells the hue.
_GREY = np.float32(2e-6)
_PER_SATURATION = np.float32((SATURATIONS - 1) / MOST**0.5)
_PER_TURN = np.float32(HUES / 2)
_LAST_STOP, _LAST = np.float32(STOPS - 1.001), np.float32(SATURATIONS - 1.001)
_SHARE = np.float32(1 / 65535)
#: Odd powers of an arctangent over π, on 0 to 1, to 2e-6 of half a turn.
_T = np.linspace(0, 1, 2001)
_POWERS = np.stack([_T ** (2 * k + 1) for k in range(7)], 1)
_A = np.linalg.lstsq(_POWERS, np.arctan(_T) / np.pi, rcond=None)[0].astype(np.float32)


@nb.njit(inline="always", fastmath=True, error_model="numpy")
def _root(x):
    """Cube root with the sign of what it is taken of."""
    return np.copysign(cbrt(abs(x)), x)


@nb.njit(inline="always", fastmath=True, error_model="numpy")
def half_turns(b, a):
    """Angle of (a, b) in half turns, 0 to 2; 0 at the origin."""
    x, y = abs(a), abs(b)
    t = min(x, y) / max(max(x, y), np.float32(1e-20))
    q = t * t
    p = t * (_A[0] + q * (_A[1] + q * (_A[2] + q * (_A[3] + q * (_A[4] + q * (_A[5] + q * _A[6]))))))
    p = np.float32(0.5) - p if y > x else p
    p = _ONE - p if a < _ZERO else p
    return np.float32(2) - p if b < _ZERO else p


@nb.njit(fastmath=True, error_model="numpy")
def into_oklab(r, g, b):
    """A row of Rec. 2020 to lightness and opponent axes, in place."""
    for x in range(r.size):
        red, green, blue = r[x], g[x], b[x]
        one = _root(_IN[0, 0] * red + _IN[0, 1] * green + _IN[0, 2] * blue)
        two = _root(_IN[1, 0] * red + _IN[1, 1] * green + _IN[1, 2] * blue)
        three = _root(_IN[2, 0] * red + _IN[2, 1] * green + _IN[2, 2] * blue)
        r[x] = _ROOTS[0, 0] * one + _ROOTS[0, 1] * two + _ROOTS[0, 2] * three
        g[x] = _ROOTS[1, 0] * one + _ROOTS[1, 1] * two + _ROOTS[1, 2] * three
        b[x] = _ROOTS[2, 0] * one + _ROOTS[2, 1] * two + _ROOTS[2, 2] * three


@nb.njit(fastmath=True, error_model="numpy")
def out_of_oklab(r, g, b):
    """The way back from `into_oklab`, in place."""
    for x in range(r.size):
        light, a, o = r[x], g[x], b[x]
        one = _BACK[0, 0] * light + _BACK[0, 1] * a + _BACK[0, 2] * o
        two = _BACK[1, 0] * light + _BACK[1, 1] * a + _BACK[1, 2] * o
        three = _BACK[2, 0] * light + _BACK[2, 1] * a + _BACK[2, 2] * o
        one, two, three = one * one * one, two * two * two, three * three * three
        r[x] = _OUT[0, 0] * one + _OUT[0, 1] * two + _OUT[0, 2] * three
        g[x] = _OUT[1, 0] * one + _OUT[1, 1] * two + _OUT[1, 2] * three
        b[x] = _OUT[2, 0] * one + _OUT[2, 1] * two + _OUT[2, 2] * three


@nb.njit(fastmath=True, error_model="numpy")
def _places(light, a, b, ev, stops, first, per_stop, at_stop, at_hue, at_saturation):
    """Where the colours of a row lie in a table, in nodes. Loops are kept apart so that each works on many at once."""
    by_scene = stops.size > 0
    for x in range(light.size):
        over = _ONE / max(light[x], _TINY)
        u, v = a[x] * over, b[x] * over
        s = np.sqrt(u * u + v * v)
        at_saturation[x] = min(np.sqrt(s) * _PER_SATURATION, _LAST)
        # Grey has no hue: it is looked up at 0 degrees, where `recolour` takes it to be.
        at_hue[x] = half_turns(v, u) * _PER_TURN if s > _GREY else _ZERO
    for x in range(light.size):
        stop = stops[x] if by_scene else np.float32(3) * log2(max(light[x], _TINY)) + ev[x]
        at_stop[x] = min(max((stop - first) * per_stop, _ZERO), _LAST_STOP)


@nb.njit(fastmath=True, error_model="numpy")
def _look_up(table, at_stop, at_hue, at_saturation, brighter, across, along):
    """What a table, float32 (STOPS * HUES * SATURATIONS * 4,), has at places, which are in nodes."""
    per_stop, per_hue, per_node = np.uint32(HUES * SATURATIONS * 4), np.uint32(SATURATIONS * 4), np.uint32(4)
    for x in range(at_stop.size):
        i, j, k = np.uint32(at_stop[x]), np.uint32(at_hue[x]), np.uint32(at_saturation[x])
        j = min(j, np.uint32(HUES - 1))
        fz, fh = at_stop[x] - np.float32(i), at_hue[x] - np.float32(j)
        # Between nodes saturation itself is gone along in proportion, and not its root.
        p = at_saturation[x]
        fs = (p * p - np.float32(k) * np.float32(k)) / np.float32(np.uint32(2) * k + np.uint32(1))
        next_hue = j + np.uint32(1) if j < np.uint32(HUES - 1) else np.uint32(0)
        at = i * per_stop + k * per_node
        one, two = at + j * per_hue, at + next_hue * per_hue
        w0, w1 = (_ONE - fz) * (_ONE - fh), (_ONE - fz) * fh
        w2, w3 = fz * (_ONE - fh), fz * fh
        a, b, c = _ZERO, _ZERO, _ZERO
        for corner in range(4):
            w = w0 if corner == 0 else w1 if corner == 1 else w2 if corner == 2 else w3
            n = (one if corner % 2 == 0 else two) + (per_stop if corner > 1 else np.uint32(0))
            near, far = w * (_ONE - fs), w * fs
            a += near * table[n] + far * table[n + np.uint32(4)]
            b += near * table[n + np.uint32(1)] + far * table[n + np.uint32(5)]
            c += near * table[n + np.uint32(2)] + far * table[n + np.uint32(6)]
        brighter[x], across[x], along[x] = c, b, a


@nb.njit(fastmath=True, error_model="numpy")
def look_up(light, a, b, ev, stops, table, first, per_stop, places, brighter, across, along):
    """What a table has for the colours of a row.

    Parameters
    ----------
    light, a, b, ev : ndarray, float32 (w,)
        Lightness and opponent axes before EV, and EV.
    stops : ndarray, float32 (w,)
        Of the scene; empty where the picture's count.
    table : ndarray, float32 (STOPS * HUES * SATURATIONS * 4,)
        See `crenn.core.pipeline.colours.Recoloured.table`.
    first, per_stop : float32
        First stop of the table, and its nodes per stop.
    places : ndarray, float32 (3, w)
        Room for where in the table the colours lie.
    brighter, across, along : ndarray, float32 (w,)
        Filled with EV, and with what the axes change across and along the hue, in proportion to lightness.
    """
    at_stop, at_hue, at_saturation = places[0], places[1], places[2]
    _places(light, a, b, ev, stops, first, per_stop, at_stop, at_hue, at_saturation)
    _look_up(table, at_stop, at_hue, at_saturation, brighter, across, along)


@nb.njit(fastmath=True, error_model="numpy")
def recolour(light, was_a, was_b, brighter, across, along, share, mask, masked, a, b, ev):
    """Change the colours of a row by what `look_up` has found for what they were, in place.

    ``share``, float32 (w,), tells how far it acts; empty for fully. ``mask`` is uint16 (w,).
    """
    shared = share.size > 0
    for x in range(light.size):
        w = np.float32(mask[x]) * _SHARE if masked else _ONE
        if shared:
            w *= min(max(share[x], _ZERO), _ONE)
        u, v = was_a[x], was_b[x]
        chroma = np.sqrt(u * u + v * v)
        some = chroma > _GREY * max(light[x], _TINY)
        over = _ONE / max(chroma, np.float32(1e-20))
        one, two = u * over if some else _ONE, v * over if some else _ZERO
        # What is more saturated than any light is taken on in proportion.
        by = w * max(light[x], chroma * np.float32(1 / MOST))
        a[x] += by * (along[x] * one - across[x] * two)
        b[x] += by * (along[x] * two + across[x] * one)
        ev[x] += w * brighter[x]
