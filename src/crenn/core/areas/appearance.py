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


def appearance_features(rgb: np.ndarray, floor: float) -> np.ndarray:
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


@nb.njit(parallel=True, cache=True, nogil=True, fastmath=True, error_model="numpy")
def _surfaces(rgb, low, out):
    zero, one = np.float32(0), np.float32(1)
    width = rgb.shape[1]
    for y in nb.prange(rgb.shape[0]):
        # Loops are kept apart so that each works on many at once.
        r, g, b = np.empty(width, np.float32), np.empty(width, np.float32), np.empty(width, np.float32)
        stop, line, told = np.empty(width, np.float32), rgb[y], out[y]
        for x in range(width):
            r[x], g[x], b[x] = line[x, 0], line[x, 1], line[x, 2]
        for x in range(width):
            light = _LR * r[x] + _LG * g[x] + _LB * b[x]
            lift = max(low - light, zero)
            r[x], g[x], b[x] = max(r[x], zero) + lift, max(g[x], zero) + lift, max(b[x], zero) + lift
            stop[x] = log2(max(light, low))
        for x in range(width):
            l = cbrt(_IN[0, 0] * r[x] + _IN[0, 1] * g[x] + _IN[0, 2] * b[x])
            m = cbrt(_IN[1, 0] * r[x] + _IN[1, 1] * g[x] + _IN[1, 2] * b[x])
            s = cbrt(_IN[2, 0] * r[x] + _IN[2, 1] * g[x] + _IN[2, 2] * b[x])
            over = one / max(_ROOTS[0, 0] * l + _ROOTS[0, 1] * m + _ROOTS[0, 2] * s, _DARK)
            g[x] = (_ROOTS[1, 0] * l + _ROOTS[1, 1] * m + _ROOTS[1, 2] * s) * over
            b[x] = (_ROOTS[2, 0] * l + _ROOTS[2, 1] * m + _ROOTS[2, 2] * s) * over
        for x in range(width):
            told[x, 0], told[x, 1], told[x, 2] = stop[x], g[x], b[x]
