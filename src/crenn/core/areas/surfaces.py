"""By what surfaces are told apart: light in stops, and colour."""

import numba as nb
import numpy as np

from crenn.core.colorimetry.oklab import REC2020_TO_LMS, ROOTS_TO_LAB
from crenn.core.colorimetry.spaces import LUMINANCE
from crenn.core.fastmath import cbrt, log2

_LR, _LG, _LB = (np.float32(v) for v in LUMINANCE)
_IN, _ROOTS = REC2020_TO_LMS.astype(np.float32), ROOTS_TO_LAB.astype(np.float32)
#: Lightness below which opponent axes are those of noise.
_DARK = np.float32(1e-3)


def surfaces(rgb: np.ndarray, floor: float) -> np.ndarray:
    """Stop, and Oklab's opponent axes in proportion to lightness, float32 (h, w, 3).

    Light of any level has the same axes. Below the floor all is alike: what is darker is raised to it with its colour
    gone, for it is noise.

    Parameters
    ----------
    rgb : ndarray, float32 (h, w, 3)
        Scene-linear.
    floor : float
        Luminance below which noise rules.
    """
    out = np.empty(rgb.shape, np.float32)
    _surfaces(np.ascontiguousarray(rgb, np.float32), np.float32(floor), out)
    return out


@nb.njit(parallel=True, cache=True, nogil=True, fastmath=True)
def _surfaces(rgb, low, out):
    zero = np.float32(0)
    for y in nb.prange(rgb.shape[0]):
        for x in range(rgb.shape[1]):
            light = _LR * rgb[y, x, 0] + _LG * rgb[y, x, 1] + _LB * rgb[y, x, 2]
            lift = max(low - light, zero)
            r, g, b = max(rgb[y, x, 0], zero) + lift, max(rgb[y, x, 1], zero) + lift, max(rgb[y, x, 2], zero) + lift
            one = cbrt(_IN[0, 0] * r + _IN[0, 1] * g + _IN[0, 2] * b)
            two = cbrt(_IN[1, 0] * r + _IN[1, 1] * g + _IN[1, 2] * b)
            three = cbrt(_IN[2, 0] * r + _IN[2, 1] * g + _IN[2, 2] * b)
            over = np.float32(1) / max(_ROOTS[0, 0] * one + _ROOTS[0, 1] * two + _ROOTS[0, 2] * three, _DARK)
            out[y, x, 0] = log2(max(light, low))
            out[y, x, 1] = (_ROOTS[1, 0] * one + _ROOTS[1, 1] * two + _ROOTS[1, 2] * three) * over
            out[y, x, 2] = (_ROOTS[2, 0] * one + _ROOTS[2, 1] * two + _ROOTS[2, 2] * three) * over
