"""From the merged mosaic to full colour.

Pekkucuksen and Altunbasak (2010), "Gradient based threshold free color filter array interpolation", run on a
compressive scale of the light so that a lamp a thousand times brighter than its surroundings does not ring, and
with the known noise as a floor under the gradients so that grain is averaged instead of followed.
"""

from functools import cache

import cv2
import numba as nb
import numpy as np

from crenn.core.fastmath import arsinh
from crenn.core.mosaic.deviation import to_linear
from crenn.core.progress import Progress

_TEXT = "Rebuilding colour"

#: Border added on each side: the reach of the interpolation, even so that the mosaic keeps its phase.
_PAD = 10
#: Rows worked on at once, an even number: seven planes of a band are held, not of the whole picture.
_BAND = 256
#: Two differences, each of about 1.3 deviations: their mean absolute gradient under pure noise, per deviation.
_PER_DEVIATION = np.float32(1.5)


@nb.njit(parallel=True, cache=True, nogil=True, fastmath=True, error_model="numpy")
def _differences(f, pattern, horizontal, vertical, grad_h, grad_v):
    """Green minus colour along rows and along columns (Hamilton and Adams 1997), and their gradients."""
    height, width = f.shape
    for y in nb.prange(2, height - 2):
        for x in range(2, width - 2):
            c = f[y, x]
            h = np.float32(0.5) * (f[y, x - 1] + f[y, x + 1]) + np.float32(0.25) * (
                np.float32(2) * c - f[y, x - 2] - f[y, x + 2]
            )
            v = np.float32(0.5) * (f[y - 1, x] + f[y + 1, x]) + np.float32(0.25) * (
                np.float32(2) * c - f[y - 2, x] - f[y + 2, x]
            )
            if pattern[y & 1, x & 1] == 1:
                horizontal[y, x] = c - h
                vertical[y, x] = c - v
            else:
                horizontal[y, x] = h - c
                vertical[y, x] = v - c
    for y in nb.prange(3, height - 3):
        for x in range(3, width - 3):
            grad_h[y, x] = abs(horizontal[y, x - 1] - horizontal[y, x + 1])
            grad_v[y, x] = abs(vertical[y - 1, x] - vertical[y + 1, x])


@nb.njit(parallel=True, cache=True, nogil=True, fastmath=True, error_model="numpy")
def _green(f, pattern, horizontal, vertical, box_h, box_v, floor, delta, green):
    """Green everywhere; ``delta`` is green minus colour at red and blue sites."""
    height, width = f.shape
    fifth = np.float32(0.2)
    for y in nb.prange(6, height - 6):
        for x in range(6, width - 6):
            if pattern[y & 1, x & 1] == 1:
                green[y, x] = f[y, x]
                continue
            noise = floor[y, x] ** 2
            beside = np.float32(0.25) * (
                floor[y - 1, x] ** 2 + floor[y + 1, x] ** 2 + floor[y, x - 1] ** 2 + floor[y, x + 1] ** 2
            )
            # 25 gradients of differences in each window, to which both colours add alike: their mean under pure noise.
            e = np.float32(25.0) * np.sqrt(np.float32(0.5) * (noise + beside)) + np.float32(1e-7)
            n = np.float32(1.0) / (e + box_v[y - 2, x]) ** 2
            s = np.float32(1.0) / (e + box_v[y + 2, x]) ** 2
            w = np.float32(1.0) / (e + box_h[y, x - 2]) ** 2
            o = np.float32(1.0) / (e + box_h[y, x + 2]) ** 2
            up, down, left, right = np.float32(0), np.float32(0), np.float32(0), np.float32(0)
            for i in range(5):
                up += vertical[y - i, x]
                down += vertical[y + i, x]
                left += horizontal[y, x - i]
                right += horizontal[y, x + i]
            d = fifth * (n * up + s * down + w * left + o * right) / (n + s + w + o)
            delta[y, x] = d
            green[y, x] = f[y, x] + d


@nb.njit(parallel=True, cache=True, nogil=True, fastmath=True, error_model="numpy")
def _red_blue(f, pattern, delta, green, out):
    """All three colours, on the compressive scale, for the inside of the padded picture."""
    height, width = f.shape
    for y in nb.prange(_PAD, height - _PAD):
        for x in range(_PAD, width - _PAD):
            c = pattern[y & 1, x & 1]
            oy, ox = y - _PAD, x - _PAD
            g = green[y, x]
            out[oy, ox, 1] = g
            if c == 1:
                row = pattern[y & 1, (x + 1) & 1]
                out[oy, ox, row] = g - np.float32(0.5) * (delta[y, x - 1] + delta[y, x + 1])
                out[oy, ox, 2 - row] = g - np.float32(0.5) * (delta[y - 1, x] + delta[y + 1, x])
            else:
                out[oy, ox, c] = f[y, x]
                # The paper's 7×7 filter: ten parts in 32 from each diagonal neighbour, less two from eight farther.
                near = delta[y - 1, x - 1] + delta[y - 1, x + 1] + delta[y + 1, x - 1] + delta[y + 1, x + 1]
                far = (
                    delta[y - 3, x - 1]
                    + delta[y - 3, x + 1]
                    + delta[y + 3, x - 1]
                    + delta[y + 3, x + 1]
                    + delta[y - 1, x - 3]
                    + delta[y - 1, x + 3]
                    + delta[y + 1, x - 3]
                    + delta[y + 1, x + 3]
                )
                out[oy, ox, 2 - c] = g - (np.float32(10) * near - far) / np.float32(32)


def interpolate(f: np.ndarray, pattern: np.ndarray, floor: np.ndarray, progress: Progress | None = None) -> np.ndarray:
    """Demosaic a plane on the compressive scale.

    Parameters
    ----------
    f, floor : ndarray, float32 (H, W)
        From `compressed`.
    pattern : ndarray, uint8 (2, 2)
    progress : Progress, optional

    Returns
    -------
    ndarray, float32 (H, W, 3)
        On the compressive scale.
    """
    out = np.empty((*f.shape, 3), np.float32)
    height = f.shape[0]
    progress = progress or Progress()
    for top in range(0, height, _BAND):
        progress.at(top / height, _TEXT)
        # The last band takes a short rest with it: each needs its border's rows.
        bottom = height if height - top < 2 * _BAND else top + _BAND
        low, high = max(top - _PAD, 0), min(bottom + _PAD, height)
        border = (_PAD - (top - low), _PAD - (high - bottom), _PAD, _PAD, cv2.BORDER_REFLECT_101)
        _interpolate_band(
            cv2.copyMakeBorder(f[low:high], *border),
            pattern,
            cv2.copyMakeBorder(floor[low:high], *border),
            out[top:bottom],
        )
        if bottom == height:
            break
    return out


def _interpolate_band(padded: np.ndarray, pattern: np.ndarray, floor: np.ndarray, out: np.ndarray) -> None:
    """Demosaic a band, `_PAD` wider on each side than ``out``, whose first row is an even one."""
    horizontal, vertical, grad_h, grad_v = (np.zeros_like(padded) for _ in range(4))
    _differences(padded, pattern, horizontal, vertical, grad_h, grad_v)
    box_h = cv2.boxFilter(grad_h, -1, (5, 5), normalize=False)
    box_v = cv2.boxFilter(grad_v, -1, (5, 5), normalize=False)
    delta, green = grad_h, grad_v
    delta[:] = 0
    green[:] = padded
    _green(padded, pattern, horizontal, vertical, box_h, box_v, floor, delta, green)
    _red_blue(padded, pattern, delta, green, out)


@cache
def _noise_table(pattern_bytes: bytes) -> np.ndarray:
    """How noise of the sites reaches the colours on even ground, float32 (2, 2, 3, 6).

    For a place of each phase of the mosaic and each colour of source site: the six products, over all sites
    of that colour, of the weights with which they enter R, G and B (RR, GG, BB, RG, RB, GB).
    """
    pattern = np.frombuffer(pattern_bytes, np.uint8).reshape(2, 2).copy()
    table = np.zeros((2, 2, 3, 6), np.float32)
    size = 40
    flat = np.full((size, size), 1e6, np.float32)
    for y in range(size // 2 - 10, size // 2 + 10):
        for x in range(size // 2 - 10, size // 2 + 10):
            plane = np.zeros((size, size), np.float32)
            plane[y, x] = 1.0
            answer = interpolate(plane, pattern, flat)
            colour = pattern[y & 1, x & 1]
            for row in range(2):
                for column in range(2):
                    r, g, b = answer[size // 2 + row, size // 2 + column]
                    table[row, column, colour] += (r * r, g * g, b * b, r * g, r * b, g * b)
    return table


@nb.njit(parallel=True, cache=True, nogil=True, fastmath=True, error_model="numpy")
def _compress(light, variance, scale, f, floor):
    height, width = light.shape
    for y in nb.prange(height):
        for x in range(width):
            u = light[y, x] / scale
            root = np.sqrt(u * u + np.float32(1))
            f[y, x] = arsinh(u)
            floor[y, x] = _PER_DEVIATION * np.sqrt(variance[y, x]) / (scale * root)


def scale_of(variance: np.ndarray) -> np.float32:
    """The scale of `compressed` that fits a mosaic's variance, float32 (H, W), or a sample of it."""
    # Linear within the noise of the darkest tenth, logarithmic above: the mean of noisy values stays unbiased.
    return np.float32(max(16.0 * float(np.sqrt(np.quantile(variance, 0.1))), 1e-9))


def compressed(
    light: np.ndarray, variance: np.ndarray, scale: np.float32 | None = None
) -> tuple[np.ndarray, np.ndarray, np.float32]:
    """Light on a compressive scale, the arsinh of light over a scale.

    Parameters
    ----------
    light, variance : ndarray, float32 (H, W)
    scale : float32, optional
        As `scale_of` has found it for the whole mosaic of which this is a part.

    Returns
    -------
    f, floor : ndarray, float32 (H, W)
        Compressed light, and the mean gradient that noise alone would give.
    scale : float32
    """
    scale = scale_of(variance[::16, ::16]) if scale is None else scale
    f, floor = np.empty_like(light), np.empty_like(light)
    _compress(light, variance, scale, f, floor)
    return f, floor, scale


def demosaic(
    light: np.ndarray,
    variance: np.ndarray,
    pattern: np.ndarray,
    matrix: np.ndarray,
    scale: np.float32 | None = None,
    progress: Progress | None = None,
) -> tuple[np.ndarray, np.ndarray]:
    """Interpolate a white-balanced mosaic to scene-linear colour.

    Parameters
    ----------
    light, variance : ndarray, float32 (H, W)
        White-balanced light and its variance; H and W at least 16.
    pattern : ndarray, uint8 (2, 2)
    matrix : ndarray, float32 (3, 3)
        From balanced camera colours to the working space.
    scale : float32, optional
        See `compressed`.
    progress : Progress, optional

    Returns
    -------
    rgb, sigma : ndarray, float32 (H, W, 3)
        Colour and its predicted standard deviation. Interpolation is taken as on even ground, where the
        directions mix equally; along edges the true deviation is somewhat larger.
    """
    progress = progress or Progress()
    f, floor, scale = compressed(light, variance, scale)
    rgb = interpolate(f, pattern, floor, progress.part(0.0, 0.7))
    del f, floor
    progress.at(0.7, _TEXT)
    matrix = np.ascontiguousarray(matrix, np.float32)
    return rgb, to_linear(rgb, variance, pattern, scale, matrix, _noise_table(pattern.tobytes()))
