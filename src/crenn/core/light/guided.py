"""A base that keeps edges, by a guided filter of values over themselves."""

import cv2
import numba as nb
import numpy as np

from crenn.core.pipeline.planes import LATTICE, PlaneContext

#: Below this deviation, in pixels, nothing of it can be seen.
_LEAST = 0.3


@nb.njit(parallel=True, cache=True, nogil=True, fastmath=True, error_model="numpy")
def _means(values, factor, mean, square):
    """Means of blocks and of their squares; the picture's last rows and columns are repeated to whole blocks."""
    height, width = values.shape
    share = np.float32(1.0 / (factor * factor))
    for i in nb.prange(mean.shape[0]):
        whole = width // factor
        for j in range(mean.shape[1]):
            mean[i, j], square[i, j] = np.float32(0), np.float32(0)
        for k in range(factor):
            row = values[min(i * factor + k, height - 1)]
            for j in range(whole):
                one, two = np.float32(0), np.float32(0)
                for m in range(factor):
                    v = row[j * factor + m]
                    one += v
                    two += v * v
                mean[i, j] += one
                square[i, j] += two
            for j in range(whole, mean.shape[1]):
                for m in range(factor):
                    v = row[min(j * factor + m, width - 1)]
                    mean[i, j] += v
                    square[i, j] += v * v
        for j in range(mean.shape[1]):
            mean[i, j] *= share
            square[i, j] *= share


@nb.njit(parallel=True, cache=True, nogil=True, fastmath=True, error_model="numpy")
def _departs(values, slope, offset, factor, out):
    """What values depart by from ``slope`` times them and ``offset``, both known in cells and read between them."""
    rows, columns = slope.shape
    per = np.float32(1.0 / factor)
    half = np.float32(0.5)
    for y in nb.prange(values.shape[0]):
        at = min(max((np.float32(y) + half) * per - half, np.float32(0)), np.float32(rows - 1))
        i = min(int(at), max(rows - 2, 0))
        k = min(i + 1, rows - 1)
        down = at - np.float32(i)
        a, b = np.empty(columns, np.float32), np.empty(columns, np.float32)
        for j in range(columns):
            a[j] = slope[i, j] + down * (slope[k, j] - slope[i, j])
            b[j] = offset[i, j] + down * (offset[k, j] - offset[i, j])
        last = np.float32(columns - 1)
        for x in range(values.shape[1]):
            along = min(max((np.float32(x) + half) * per - half, np.float32(0)), last)
            m = np.uint32(along)
            n = min(m + np.uint32(1), np.uint32(columns - 1))
            share = along - np.float32(m)
            v = values[y, x]
            out[y, x] = v - (a[m] + share * (a[n] - a[m])) * v - (b[m] + share * (b[n] - b[m]))


def factor_for(sigma: float) -> int:
    """By which values may be reduced before they are blurred by a deviation in pixels: a power of two.

    `LATTICE` at most: blocks of every band of a picture are the same then.
    """
    return int(np.clip(2 ** np.floor(np.log2(max(sigma / 2.5, 1.0))), 1, LATTICE))


def reduced(values: np.ndarray, factor: int) -> tuple[np.ndarray, np.ndarray]:
    """Means of blocks of a factor each way, and those of squares, float32 of float32 (h, w); edges are repeated."""
    mean = np.empty((-(-values.shape[0] // factor), -(-values.shape[1] // factor)), np.float32)
    square = np.empty_like(mean)
    _means(values, factor, mean, square)
    return mean, square


def blurred(values: np.ndarray, sigma: float) -> np.ndarray:
    """Values under a Gaussian of a deviation in pixels, as far as three of them, float32 (h, w)."""
    half = max(int(np.ceil(3 * sigma)), 1)
    taps = cv2.getGaussianKernel(2 * half + 1, sigma, cv2.CV_32F)
    return cv2.sepFilter2D(values, cv2.CV_32F, taps, taps, borderType=cv2.BORDER_REPLICATE)


def mean_about(values: np.ndarray, sigma: float) -> np.ndarray:
    """Mean over a Gaussian of a deviation in pixels, at a reduced size where it is wide, float32 (h, w)."""
    factor = factor_for(sigma)
    if factor == 1:
        return blurred(values, sigma)
    small = blurred(reduced(values, factor)[0], sigma / factor)
    size = small.shape[1] * factor, small.shape[0] * factor
    return cv2.resize(small, size, interpolation=cv2.INTER_LINEAR)[: values.shape[0], : values.shape[1]]


def departing(values: np.ndarray, deviation: float, edge: float, around: PlaneContext) -> np.ndarray:
    """What values depart by from their base, float32 (h, w) like them.

    The base is a guided filter's (He, Sun and Tang 2013) with Gaussian windows, at a reduced size where they are wide
    (He and Sun 2015): contrast of more than ``edge`` stays in it, so that edges get no halo.

    Parameters
    ----------
    values : ndarray, float32 (h, w)
        Such as stops.
    deviation : float
        Of the windows, in % of the picture's longer side.
    edge : float
    around : PlaneContext
    """
    sigma = deviation / 100.0 * around.long_side * around.scale
    if sigma < _LEAST:
        return np.zeros_like(values)
    factor = factor_for(sigma)
    small, squares = (values, values * values) if factor == 1 else reduced(values, factor)
    mean = blurred(small, sigma / factor)
    variance = np.maximum(blurred(squares, sigma / factor) - mean * mean, 0)
    slope = variance / (variance + np.float32(edge**2))
    out = np.empty_like(values)
    offset = blurred(mean - slope * mean, sigma / factor)
    _departs(values, blurred(slope, sigma / factor), offset, factor, out)
    return out
