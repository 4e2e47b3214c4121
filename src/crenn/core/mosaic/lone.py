"""Mends lone sites in smooth places: what departs from its surroundings, to either side, as no lens would draw it.

Some sites of a sensor jump between two levels, some answer too little. They depart by a few deviations only, so that a
single one could be noise; but rebuilt colour makes a dot of each, and noise reduction keeps what stands out so far.
"""

import numba as nb
import numpy as np

from crenn.core.mosaic.hot import replaced

#: A site is looked at if it departs by so many deviations from the eight of its colour around it, which differ by less
#: than so many of them, or than a share of what it departs by.
_DEPARTS, _EVEN, _SHARE = 4.5, 3.2, 0.4
#: A lens draws no point sharper than this deviation, in pixels: so much of a point's middle its neighbours have.
_SHARPEST = 0.62
_BESIDE, _DIAGONAL = np.float32(np.exp(-0.5 / _SHARPEST**2)), np.float32(np.exp(-1.0 / _SHARPEST**2))
#: It is a point if its neighbours, of the other colours, ask for more than a share of what it departs by: this one,
#: less so many deviations, for their own noise speaks as well; but from the second to the third.
_FOLLOWED, _UNSURE, _LEAST, _MOST = 0.6, 2.2, 0.15, 0.3
_BORDER = 4


@nb.njit(fastmath=True, error_model="numpy")
def _ring(light, variance, y, x):
    """Of the eight sites of a site's colour around it the mean, how far the farthest is from it, and the variance.

    A site's own variance would excuse it.
    """
    total, noise, high, low = np.float32(0), np.float32(0), np.float32(-1e30), np.float32(1e30)
    for dy in range(-2, 3, 2):
        for dx in range(-2, 3, 2):
            if dy != 0 or dx != 0:
                v = light[y + dy, x + dx]
                total, noise = total + v, noise + variance[y + dy, x + dx]
                high, low = max(high, v), min(low, v)
    mean = total / np.float32(8)
    return mean, max(high - mean, mean - low), noise / np.float32(8)


@nb.njit(fastmath=True, error_model="numpy")
def _asked(light, y, x):
    """What the eight sites beside a site say that it departs by, if it is a point that a lens has drawn."""
    total, weights = np.float32(0), np.float32(0)
    for dy in range(-1, 2):
        for dx in range(-1, 2):
            if dy == 0 and dx == 0:
                continue
            w = _BESIDE if dy == 0 or dx == 0 else _DIAGONAL
            # From those of its own colour around it, but for those that a point here reaches.
            far, n = np.float32(0), np.float32(0)
            for ey in range(dy - 2, dy + 3, 2):
                for ex in range(dx - 2, dx + 3, 2):
                    if ey * ey + ex * ex > 4:
                        far, n = far + light[y + ey, x + ex], n + np.float32(1)
            total += w * (light[y + dy, x + dx] - far / n)
            weights += w * w
    return total / weights


@nb.njit(parallel=True, cache=True, nogil=True, fastmath=True, error_model="numpy")
def _find(light, variance, found):
    height, width = light.shape
    for y in nb.prange(_BORDER, height - _BORDER):
        for x in range(_BORDER, width - _BORDER):
            mean, spread, noise = _ring(light, variance, y, x)
            departs, noise = light[y, x] - mean, np.sqrt(noise)
            size = abs(departs)
            if size < np.float32(_DEPARTS) * noise:
                continue
            if spread > max(np.float32(_EVEN) * noise, np.float32(_SHARE) * size):
                continue
            least = np.float32(_FOLLOWED) * size - np.float32(_UNSURE) * noise
            least = min(max(least, np.float32(_LEAST) * size), np.float32(_MOST) * size)
            if _asked(light, y, x) * (1 if departs > 0 else -1) < least:
                found[y, x] = mean


def mend_lone(light: np.ndarray, variance: np.ndarray) -> np.ndarray:
    """Replace lone sites, in place, by the mean of those of their colour around them.

    Parameters
    ----------
    light, variance : ndarray, float32 (H, W)
        A Bayer mosaic in balanced light, and its variance.

    Returns
    -------
    ndarray, bool (H, W)
        Which were.
    """
    return replaced(light, variance, _find)
