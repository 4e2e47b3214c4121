"""Mends hot pixels of a merged mosaic: single sites that no lens could have drawn."""

from collections.abc import Callable

import numba as nb
import numpy as np

#: A hot site stands out from the sites of its colour around it by this many deviations of its noise, and by this factor
#: more than any of those does.
_DEVIATIONS, _AROUND = 10.0, 2.0
_LEAST = 0.15
#: One of the sites around it may be hot as well: it stands out by so many times what any other does.
_TWO = 4.0
#: The four sites beside it stand out by less than this share of it in the mean, and none by more than that. A star
#: drawn by a lens, however sharp, lights its neighbours more.
_BESIDE, _MOST = 0.11, 0.35


#: In the midst of texture a site is hot if it departs by so many deviations, and by so large a share of the light
#: there, from what both its row and its column ask for, and by so many times more than any around it does from either.
_FAR, _SHARE, _ALONE = 15.0, 0.5, 3.0
#: There the sites beside it stand out by less than this in the mean, and none by more than that.
_BESIDE_TEXTURE, _MOST_TEXTURE = 0.08, 0.25
#: Sites at the border that are not judged.
_BORDER = 6
_NO = np.float32(np.nan)


@nb.njit(cache=True, nogil=True, error_model="numpy")
def _asked(light, y, x, dy, dx):
    """What a site should be by its row or column, and how much that varies there.

    It lies between its two neighbours of its colour; the other colour tells how the light bends (Hamilton and Adams
    1997).
    """
    a, b = light[y - 2 * dy, x - 2 * dx], light[y + 2 * dy, x + 2 * dx]
    p, q = light[y - dy, x - dx], light[y + dy, x + dx]
    outer = light[y - 3 * dy, x - 3 * dx] + light[y + 3 * dy, x + 3 * dx]
    bent = np.float32(0.5) * (a + b) + np.float32(0.25) * (p + q - outer)
    # No further beyond the two than half of what lies between them.
    low, high = min(a, b), max(a, b)
    room = np.float32(0.5) * (high - low)
    return min(max(bent, low - room), high + room), abs(a - b) + abs(p - q)


@nb.njit(cache=True, nogil=True, error_model="numpy")
def _between(light, y, x):
    """What a site should be along rows or columns, whichever varies less."""
    across, varies = _asked(light, y, x, 0, 1)
    down, varies_down = _asked(light, y, x, 1, 0)
    return across if varies <= varies_down else down


@nb.njit(cache=True, nogil=True, error_model="numpy")
def _beside(light, y, x):
    """By how much the four sites beside one stand out from their own kind two sites on: the mean, and the most."""
    most, mean = np.float32(-1e30), np.float32(0)
    for i in range(4):
        dy, dx = (0, 0, -1, 1)[i], (-1, 1, 0, 0)[i]
        yy, xx = y + dy, x + dx
        base = np.float32(0.5) * (light[yy + 2 * dy, xx + 2 * dx] + light[yy + 2 * dx, xx + 2 * dy])
        beside = light[yy, xx] - base
        most, mean = max(most, beside), mean + np.float32(0.25) * beside
    return mean, most


@nb.njit(cache=True, nogil=True, error_model="numpy")
def _alone_in_texture(light, y, x, noise, middle):
    """Whether a site stands out of texture as nothing of it does."""
    value = light[y, x]
    excess = value - max(_asked(light, y, x, 0, 1)[0], _asked(light, y, x, 1, 0)[0])
    if excess < max(np.float32(_FAR) * noise, np.float32(_SHARE) * middle):
        return False
    for dy in range(-2, 3, 2):
        for dx in range(-2, 3, 2):
            if dy == 0 and dx == 0:
                continue
            yy, xx = y + dy, x + dx
            across, down = _asked(light, yy, xx, 0, 1)[0], _asked(light, yy, xx, 1, 0)[0]
            if min(abs(light[yy, xx] - across), abs(light[yy, xx] - down)) > excess / np.float32(_ALONE):
                return False
    mean, most = _beside(light, y, x)
    least = 2 * noise
    return mean < np.float32(_BESIDE_TEXTURE) * excess + least and most < np.float32(_MOST_TEXTURE) * excess + 2 * least


@nb.njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
def _may_be(above, own, below, before, variance, after, out):
    """Which sites of a row stand out of the sites of their colour around them so that they are worth a look.

    Rows begin two sites before the first that is judged. Of branches there are none: many sites are looked at at once.
    """
    least = np.float32(0.999 * _DEVIATIONS**2)
    up, over, far_up = above[:-4], above[2:-2], above[4:]
    left, here, right = own[:-4], own[2:-2], own[4:]
    down, under, far_down = below[:-4], below[2:-2], below[4:]
    for x in range(out.size):
        value = here[x]
        one, two = max(up[x], over[x]), min(up[x], over[x])
        lowest = two
        for v in (far_up[x], left[x], right[x], down[x], under[x], far_down[x]):
            two = max(two, min(one, v))
            one = max(one, v)
            lowest = min(lowest, v)
        noise = min(variance[x], min(before[x], after[x]))
        over_all = value - lowest
        out[x] = np.uint8(value > two) & np.uint8(over_all * over_all >= least * noise)


@nb.njit(cache=True, nogil=True, error_model="numpy")
def _mended(light, variance, y, x, around):
    """What a site should be if it is hot; what is no number if it is not."""
    n = 0
    for dy in range(-2, 3, 2):
        for dx in range(-2, 3, 2):
            if dy != 0 or dx != 0:
                v = light[y + dy, x + dx]
                # Put in order as they come.
                k = n
                while k > 0 and around[k - 1] > v:
                    around[k] = around[k - 1]
                    k -= 1
                around[k] = v
                n += 1
    lowest, second, highest = around[0], around[6], around[7]
    value = light[y, x]
    if value <= second:
        return _NO
    # Judged by the noise of its surroundings: a hot site's own photon noise would excuse it.
    noise = np.sqrt(min(variance[y, x], min(variance[y, x - 2], variance[y, x + 2])))
    if value - lowest < np.float32(_DEVIATIONS) * noise:
        return _NO
    middle = np.float32(0.5) * (around[3] + around[4])
    # One of them may be hot as well: then it is no measure, nor fit to mend by.
    two = highest - middle > np.float32(_TWO) * max(second - middle, middle - lowest)
    if two:
        highest = second
    elif value <= highest:
        return _NO
    excess = value - middle
    spread = max(highest - middle, middle - lowest)
    # What is brighter by a seventh only is seen by nobody, and may well be texture.
    least = max(np.float32(_DEVIATIONS) * noise, np.float32(_LEAST) * middle)
    if excess < least:
        return _NO
    if spread > excess / np.float32(_AROUND):
        if _alone_in_texture(light, y, x, noise, max(middle, np.float32(0))):
            return _between(light, y, x)
        return _NO
    mean, most = _beside(light, y, x)
    if mean < np.float32(_BESIDE) * excess + 2 * noise and most < np.float32(_MOST) * excess + 4 * noise:
        return middle if two else _between(light, y, x)
    return _NO


@nb.njit(parallel=True, cache=True, nogil=True, error_model="numpy")
def _find(light, variance, found):
    height, width = light.shape
    count = width - 2 * _BORDER
    for y in nb.prange(_BORDER, height - _BORDER):
        around, worth = np.empty(8, np.float32), np.empty(max(count, 0), np.uint8)
        rows = slice(_BORDER - 2, width - _BORDER + 2)
        spread = variance[y, rows]
        _may_be(light[y - 2, rows], light[y, rows], light[y + 2, rows], spread[:-4], spread[2:-2], spread[4:], worth)
        for x in range(worth.size):
            if worth[x]:
                found[y, _BORDER + x] = _mended(light, variance, y, _BORDER + x, around)


def replaced(light: np.ndarray, variance: np.ndarray, find: Callable[..., None]) -> np.ndarray:
    """Replace sites of a mosaic, float32 (H, W), in place, by what ``find`` puts for them; which were, bool (H, W)."""
    found = np.full(light.shape, np.nan, np.float32)
    find(light, variance, found)
    where = ~np.isnan(found)
    light[where] = found[where]
    return where


def mend_hot(light: np.ndarray, variance: np.ndarray) -> np.ndarray:
    """Replace hot sites, in place, by what lies between the nearest of their colour.

    Parameters
    ----------
    light, variance : ndarray, float32 (H, W)
        A Bayer mosaic and its variance.

    Returns
    -------
    ndarray, bool (H, W)
        Which were.
    """
    hot = replaced(light, variance, _find)
    ys, xs = np.nonzero(hot)
    variance[ys, xs] = variance[ys, xs - 2] * np.float32(0.3)
    return hot
