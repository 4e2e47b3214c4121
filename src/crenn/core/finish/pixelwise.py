"""What effects do to each pixel by itself, in one pass on all cores."""

import numba as nb
import numpy as np

from crenn.core.colorimetry.spaces import LUMINANCE
from crenn.core.fastmath import exp2, log2

_LR, _LG, _LB = (np.float32(v) for v in LUMINANCE)
_TINY = np.float32(1e-9)


def _spread_out(amount: float | np.ndarray) -> np.ndarray:
    """An amount as float32 (1, 1) or (h, w)."""
    if isinstance(amount, np.ndarray):
        return np.ascontiguousarray(amount.reshape(amount.shape[:2]), np.float32)
    return np.full((1, 1), amount, np.float32)


def added(light: np.ndarray, amount: float | np.ndarray, more: np.ndarray) -> np.ndarray:
    """Light with an amount, a number or float32 (h, w, 1), of something added, both float32 (h, w, C)."""
    out = np.empty_like(light)
    _add(light, _spread_out(amount), more, out)
    return out


def brightened(light: np.ndarray, ev: np.ndarray) -> np.ndarray:
    """Light, float32 (h, w, 3), brightened by EV, float32 (h, w), (h, w, 1) or (h, w, 3)."""
    out = np.empty_like(light)
    _brighten(light, np.ascontiguousarray(ev.reshape(*light.shape[:2], -1), np.float32), out)
    return out


def spilling(light: np.ndarray, knee: float) -> np.ndarray:
    """The part of light, float32 (h, w, 3), that exceeds a luminance, in its own colour: nothing there, all of what
    exceeds it far above."""
    out = np.empty_like(light)
    _spill(light, np.float32(knee), out)
    return out


def coloured(light: np.ndarray, colour: float) -> np.ndarray:
    """Light, float32 (h, w, 3), from grey at 0 over itself at 1 to beyond, at its luminance; never below nothing."""
    out = np.empty_like(light)
    _colour(light, np.float32(colour), out)
    return out


def standing_out(light: np.ndarray, ground: np.ndarray, share: np.ndarray, begin: float, full: float) -> np.ndarray:
    """What of light, float32 (h, w, 3), lies over a ground of luminance, float32 (h, w), as far as it belongs to
    something, float32 (h, w), and from so many EV over the ground on, fully from more."""
    out = np.empty_like(light)
    _stand_out(light, ground, share, np.float32(begin), np.float32(1 / (full - begin)), out)
    return out


@nb.njit(parallel=True, cache=True, nogil=True, fastmath=True, error_model="numpy")
def _add(light, amount, more, out):
    for y in nb.prange(light.shape[0]):
        row = amount[min(np.int64(y), np.int64(amount.shape[0] - 1))]
        for x in range(light.shape[1]):
            a = row[min(x, row.size - 1)]
            for c in range(light.shape[2]):
                out[y, x, c] = light[y, x, c] + a * more[y, x, c]


@nb.njit(parallel=True, cache=True, nogil=True, fastmath=True, error_model="numpy")
def _brighten(light, ev, out):
    for y in nb.prange(light.shape[0]):
        for x in range(light.shape[1]):
            if ev.shape[2] == 1:
                k = exp2(ev[y, x, 0])
                for c in range(3):
                    out[y, x, c] = light[y, x, c] * k
            else:
                for c in range(3):
                    out[y, x, c] = light[y, x, c] * exp2(ev[y, x, c])


@nb.njit(parallel=True, cache=True, nogil=True, fastmath=True, error_model="numpy")
def _spill(light, knee, out):
    for y in nb.prange(light.shape[0]):
        for x in range(light.shape[1]):
            r, g, b = light[y, x, 0], light[y, x, 1], light[y, x, 2]
            share = np.float32(1) - knee / max(_LR * r + _LG * g + _LB * b, knee)
            share *= share
            out[y, x, 0], out[y, x, 1], out[y, x, 2] = share * r, share * g, share * b


@nb.njit(parallel=True, cache=True, nogil=True, fastmath=True, error_model="numpy")
def _colour(light, colour, out):
    for y in nb.prange(light.shape[0]):
        for x in range(light.shape[1]):
            grey = _LR * light[y, x, 0] + _LG * light[y, x, 1] + _LB * light[y, x, 2]
            for c in range(3):
                out[y, x, c] = max(grey + colour * (light[y, x, c] - grey), np.float32(0))


@nb.njit(parallel=True, cache=True, nogil=True, fastmath=True, error_model="numpy")
def _stand_out(light, ground, share, begin, per_stop, out):
    for y in nb.prange(light.shape[0]):
        for x in range(light.shape[1]):
            r, g, b = light[y, x, 0], light[y, x, 1], light[y, x, 2]
            bright, under = max(_LR * r + _LG * g + _LB * b, _TINY), max(ground[y, x], _TINY)
            over = min(max((log2(bright) - log2(under) - begin) * per_stop, np.float32(0)), np.float32(1))
            k = over * share[y, x] * max(np.float32(1) - under / bright, np.float32(0))
            out[y, x, 0], out[y, x, 1], out[y, x, 2] = k * r, k * g, k * b
