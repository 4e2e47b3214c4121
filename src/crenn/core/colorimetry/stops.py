"""Light in stops: how bright a place is, and how much of that each colour has.

Single precision, to 4e-6: see `crenn.core.fastmath`.
"""

import numba as nb
import numpy as np

from crenn.core.colorimetry.spaces import LUMINANCE
from crenn.core.fastmath import log2

#: Nothing has a stop of its own: it counts as so much at least.
_NOTHING = 1e-30
#: A colour that is not there has no share: so much of the light is as little as counts.
_LEAST = np.float32(0.005)
_RED, _GREEN, _BLUE = (np.float32(v) for v in LUMINANCE)


@nb.njit(parallel=True, cache=True, nogil=True, fastmath=True, error_model="numpy")
def _stops(rgb, floor, out):
    for y in nb.prange(rgb.shape[0]):
        for x in range(rgb.shape[1]):
            out[y, x] = log2(max(_RED * rgb[y, x, 0] + _GREEN * rgb[y, x, 1] + _BLUE * rgb[y, x, 2], floor))


@nb.njit(parallel=True, cache=True, nogil=True, fastmath=True, error_model="numpy")
def _shares(rgb, floor, stops, shares):
    for y in nb.prange(rgb.shape[0]):
        for x in range(rgb.shape[1]):
            light = max(_RED * rgb[y, x, 0] + _GREEN * rgb[y, x, 1] + _BLUE * rgb[y, x, 2], floor)
            stop = log2(light)
            stops[y, x] = stop
            for c in range(3):
                shares[c, y, x] = log2(max(rgb[y, x, c], _LEAST * light)) - stop


def stops_of(rgb: np.ndarray, floor: float) -> np.ndarray:
    """Stops of the luminance of light, float32 (h, w) of (h, w, 3), or of ``floor`` where there is less."""
    out = np.empty(rgb.shape[:2], np.float32)
    _stops(np.ascontiguousarray(rgb, np.float32), np.float32(max(floor, _NOTHING)), out)
    return out


def shares_of(rgb: np.ndarray, floor: float) -> tuple[np.ndarray, np.ndarray]:
    """`stops_of` light, and by how many stops each colour has more than luminance, float32 (h, w) and (3, h, w).

    What a colour has less than half a hundredth of the luminance counts as that.
    """
    stops = np.empty(rgb.shape[:2], np.float32)
    shares = np.empty((3, *rgb.shape[:2]), np.float32)
    _shares(np.ascontiguousarray(rgb, np.float32), np.float32(max(floor, _NOTHING)), stops, shares)
    return stops, shares
