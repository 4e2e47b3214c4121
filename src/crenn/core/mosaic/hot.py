"""Mends hot pixels of a merged mosaic: single sites that no lens could have drawn."""

import numba as nb
import numpy as np

#: A hot site stands out from its surroundings by this many deviations of its noise, and by this factor more than
#: any site beside it. A star drawn by a lens, however sharp, lights its neighbours more.
_DEVIATIONS, _FACTOR = 10.0, 9.0


@nb.njit(parallel=True, cache=True, nogil=True)
def _find(light, variance, found):
    height, width = light.shape
    for y in nb.prange(4, height - 4):
        around = np.empty(8, np.float32)
        for x in range(4, width - 4):
            n = 0
            highest = np.float32(-1e30)
            for dy in range(-2, 3, 2):
                for dx in range(-2, 3, 2):
                    if dy != 0 or dx != 0:
                        around[n] = light[y + dy, x + dx]
                        highest = max(highest, around[n])
                        n += 1
            value = light[y, x]
            if value <= highest:
                continue
            around.sort()
            middle = np.float32(0.5) * (around[3] + around[4])
            excess = value - middle
            # Judged by the noise of its surroundings: a hot site's own photon noise would excuse it.
            noise = np.sqrt(min(variance[y, x], min(variance[y, x - 2], variance[y, x + 2])))
            if excess < np.float32(_DEVIATIONS) * noise or highest - middle > excess / np.float32(_FACTOR) + 3 * noise:
                continue
            lone = True
            for i in range(4):
                dy, dx = (0, 0, -1, 1)[i], (-1, 1, 0, 0)[i]
                yy, xx = y + dy, x + dx
                # Beside it are other colours: how far each stands out from its own kind two sites on.
                base = np.float32(0.5) * (light[yy + 2 * dy, xx + 2 * dx] + light[yy + 2 * dx, xx + 2 * dy])
                if light[yy, xx] - base > excess / np.float32(_FACTOR) + 4 * noise:
                    lone = False
            if lone:
                found[y, x] = middle


def mend_hot(light: np.ndarray, variance: np.ndarray) -> int:
    """Replace hot sites, in place, by the median of the eight nearest of their colour.

    Parameters
    ----------
    light, variance : ndarray, float32 (H, W)
        A Bayer mosaic and its variance.

    Returns
    -------
    int
        Number of sites mended.
    """
    found = np.full(light.shape, np.nan, np.float32)
    _find(light, variance, found)
    hot = ~np.isnan(found)
    light[hot] = found[hot]
    ys, xs = np.nonzero(hot)
    variance[ys, xs] = variance[ys, xs - 2] * np.float32(0.3)
    return int(hot.sum())
