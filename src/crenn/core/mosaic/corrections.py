"""What gathered residuals correct of a picture: departures as far as they are believed, and lines over green.

Sums come from `crenn.core.mosaic.residuals.gather`.
"""

import cv2
import numba as nb
import numpy as np

from crenn.core.fastmath import NAN_SAFE

#: How strongly no departure is believed in, relative to one site at the place itself: of green, and of red and blue.
_PRIOR = np.array([0.3, 0.1, 0.3], np.float32)
#: Deviation of the surroundings in which departures are compared with their noise.
_AROUND = 1.5
#: Deviation of the Gaussian by which moments of lines are blurred, and by which the lines themselves are.
_MOMENTS, _EVEN = 1.2, 1.0
_FLATTEST, _STEEPEST = np.float32(-1), np.float32(4)
#: Sites of a colour around a place that make a line sure, relative to those that all frames have there.
_ENOUGH = np.float32(0.4)
#: A line is believed up to so many deviations of those greens from their mean.
_BEYOND = np.float32(4)


def _blurred(plane: np.ndarray, deviation: float, out: np.ndarray | None = None) -> np.ndarray:
    return cv2.GaussianBlur(plane, (0, 0), deviation, dst=out, borderType=cv2.BORDER_REFLECT_101)


@nb.njit(parallel=True, cache=True, nogil=True, fastmath=NAN_SAFE, error_model="numpy")
def _mean(sums, along, prior, departure, against):
    """Mean departures beyond what goes ``along``, and their squares against their noise."""
    for y in nb.prange(departure.shape[0]):
        for x in range(departure.shape[1]):
            weight = sums[1, y, x]
            belief = weight + prior * sums[3, y, x]
            over = np.float32(1) / (belief if belief > 0 else np.float32(1))
            d = (sums[0, y, x] - along[y, x] * weight) * over
            departure[y, x] = d
            against[y, x] = d * d / max(sums[2, y, x] * over * over, np.float32(1e-30))


@nb.njit(inline="always", fastmath=NAN_SAFE, error_model="numpy")
def _share(around):
    """As much of a departure as is more than its noise around a place (Wiener)."""
    return max(np.float32(1) - np.float32(1) / max(around, np.float32(1e-12)), np.float32(0))


@nb.njit(parallel=True, cache=True, nogil=True, fastmath=NAN_SAFE, error_model="numpy")
def _with_green(light, departure, around, out, along):
    """Green corrected, and by how much that lets red and blue go along in proportion."""
    for y in nb.prange(departure.shape[0]):
        for x in range(departure.shape[1]):
            d = departure[y, x] * _share(around[y, x])
            out[y, x, 1] = light[1, y, x] + d
            by = d / max(light[1, y, x], np.float32(1e-12))
            for c in range(0, 3, 2):
                along[c // 2, y, x] = (
                    d * np.float32(2)
                    if light[c, y, x] > np.float32(2) * max(light[1, y, x], np.float32(1e-12))
                    else by * max(light[c, y, x], np.float32(0))
                )


@nb.njit(parallel=True, cache=True, nogil=True, fastmath=NAN_SAFE, error_model="numpy")
def _with_own(light, along, departure, around, colour, out):
    for y in nb.prange(departure.shape[0]):
        for x in range(departure.shape[1]):
            out[y, x, colour] = light[y, x] + along[y, x] + departure[y, x] * _share(around[y, x])


def with_departures(light: np.ndarray, sums: np.ndarray) -> np.ndarray:
    """A picture with what sites around each place depart from it by, as far as that is more than their noise.

    Parameters
    ----------
    light : ndarray, float32 (3, h, W)
        What the sites were held against.
    sums : ndarray, float32 (3, 4, h, W)
        As of `gather`.

    Returns
    -------
    ndarray, float32 (h, W, 3)
    """
    size = light.shape[1:]
    out = np.empty((*size, 3), np.float32)
    departure, against = np.empty(size, np.float32), np.empty(size, np.float32)
    along = np.zeros((2, *size), np.float32)
    _mean(sums[1], along[0], _PRIOR[1], departure, against)
    _with_green(light, departure, _blurred(against, _AROUND), out, along)
    for c in (0, 2):
        # Red and blue go with green in proportion, and what is left of their departures is their own.
        _mean(sums[c], along[c // 2], _PRIOR[c], departure, against)
        _with_own(light[c], along[c // 2], departure, _blurred(against, _AROUND), c, out)
    return out


@nb.njit(parallel=True, cache=True, nogil=True, fastmath=NAN_SAFE, error_model="numpy")
def _mean_variance(light, slope, offset, limit, out):
    for y in nb.prange(light.shape[0]):
        for x in range(light.shape[1]):
            here, weight = max(light[y, x], np.float32(0)), np.float32(0)
            for k in range(len(slope)):
                weight += np.float32(1) / (slope[k] * here + offset[k]) if here < limit[k] else np.float32(0)
            out[y, x] = np.float32(1) / max(weight, np.float32(1e-12))


def mean_variance(light: np.ndarray, slope: np.ndarray, offset: np.ndarray, limit: np.ndarray) -> np.ndarray:
    """Variance of the mean of a site of each frame that can measure light, float32 like ``light`` (h, W).

    ``slope`` and ``offset``, float32 (F,), are of the frames' variance, ``limit`` the light up to which they measure.
    """
    out = np.empty(light.shape, np.float32)
    _mean_variance(light, slope, offset, limit, out)
    return out


@nb.njit(parallel=True, cache=True, nogil=True, fastmath=NAN_SAFE, error_model="numpy")
def _fit(moments, noise, spread, slope, start):
    """Lines over green by their moments, weighted by how far greens are spread; moments become means."""
    for y in nb.prange(noise.shape[0]):
        for x in range(noise.shape[1]):
            n = moments[0, y, x]
            over = np.float32(1) / n if n > 0 else np.float32(1)
            for k in range(1, 8):
                moments[k, y, x] *= over
            g, v, gg, gv = moments[1, y, x], moments[2, y, x], moments[3, y, x], moments[4, y, x]
            wide = max(gg - g * g, np.float32(0)) + np.float32(0.5) * noise[y, x]
            steep = min(max((gv - g * v) / wide, _FLATTEST), _STEEPEST)
            wide = wide if n > 0 else np.float32(0)
            spread[y, x], slope[y, x], start[y, x] = wide, steep * wide, (v - steep * g) * wide


@nb.njit(parallel=True, cache=True, nogil=True, fastmath=NAN_SAFE, error_model="numpy")
def _with_line(light, green, moments, noise, own_spread, spread, slope, start, colour, out):
    for y in nb.prange(noise.shape[0]):
        for x in range(noise.shape[1]):
            n = moments[0, y, x]
            if n <= 0:
                continue
            g, v, gg, gv = moments[1, y, x], moments[2, y, x], moments[3, y, x], moments[4, y, x]
            vv, off, plain = moments[5, y, x], moments[6, y, x], moments[7, y, x]
            over = np.float32(1) / max(spread[y, x], np.float32(1e-20))
            a, b = slope[y, x] * over, start[y, x] * over
            # By how much each departs from what was measured, beyond noise.
            line = vv + a * a * gg + b * b + np.float32(2) * (a * b * g - a * gv - b * v)
            own = max(line - plain, np.float32(0)) + np.float32(0.1) * plain
            other = max(off - plain, np.float32(0)) + np.float32(0.1) * plain
            share = other * other / max(own * own + other * other, np.float32(1e-30))
            # Lines that few sites tell, where most were left out, come from beside the place: theirs is another light.
            share *= min(n * noise[y, x] / _ENOUGH, np.float32(1))
            # Nor does a line say anything far beyond the greens that it was fitted to.
            beyond = (green[y, x] - g) ** 2
            share *= min(_BEYOND * _BEYOND * own_spread[y, x] / max(beyond, np.float32(1e-20)), np.float32(1))
            out[y, x, colour] += share * (a * green[y, x] + b - light[y, x])


def with_lines(light: np.ndarray, moments: np.ndarray, noise: np.ndarray) -> np.ndarray:
    """A picture whose red and blue follow lines over green, fitted to the sites around each place, as far as they fit
    better than the picture does.

    Parameters
    ----------
    light : ndarray, float32 (3, h, W)
        What the sites were held against.
    moments : ndarray, float32 (3, 8, h, W)
        As of `gather`.
    noise : ndarray, float32 (h, W)
        Variance of the mean of a green site of each frame.

    Returns
    -------
    ndarray, float32 (h, W, 3)
    """
    out = np.ascontiguousarray(np.moveaxis(light, 0, -1))
    spread, slope, start = (np.empty(noise.shape, np.float32) for _ in range(3))
    for c in (0, 2):
        blurred = np.empty_like(moments[c])
        for moment, to in zip(moments[c], blurred):
            _blurred(moment, _MOMENTS, to)
        _fit(blurred, noise, spread, slope, start)
        even = (_blurred(v, _EVEN) for v in (spread, slope, start))
        _with_line(light[c], light[1], blurred, noise, spread, *even, c, out)
    return out
