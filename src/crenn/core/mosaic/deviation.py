"""Back from the compressive scale: linear light through the camera matrix, with the deviation of each colour.

Noise of the sites reaches the colours as on even ground; what follows from a tile's surroundings is found once a tile.
"""

import cv2
import numba as nb
import numpy as np

from crenn.core.fastmath import cosh, sinh

#: Colour that departs from the tiles around it by more than so many variances, or whose sites' variance does by such a
#: factor, is told its own noise, not theirs.
_APART, _FACTOR = np.float32(25), np.float32(12)
#: Tiles of a row that are worked on at once: what is kept of them stays near the processor.
_AT_ONCE = 256
#: Pairs of colours whose products bring variances to a colour of the working space, and how often each comes.
_PAIRS = np.array([[0, 0], [1, 1], [2, 2], [0, 1], [0, 2], [1, 2]])
_TIMES = np.array([1, 1, 1, 2, 2, 2], np.float32)
#: Indices are unsigned: signed ones may be meant from an array's end, which keeps loops from being vectorised.
_1, _2, _3, _4, _5, _6 = (np.uint64(n) for n in range(1, 7))


@nb.njit(parallel=True, cache=True, nogil=True, fastmath=True, error_model="numpy")
def _tiles(rgb, variance, pattern, out):
    """Of each tile of the mosaic its mean colour, and the variance of its sites of each colour, out (6, h, w)."""
    for ty in nb.prange(out.shape[1]):
        for tx in range(out.shape[2]):
            for i in range(3):
                out[3 + i, ty, tx] = np.float32(0)
                out[i, ty, tx] = np.float32(0.25) * (
                    rgb[2 * ty, 2 * tx, i]
                    + rgb[2 * ty, 2 * tx + 1, i]
                    + rgb[2 * ty + 1, 2 * tx, i]
                    + rgb[2 * ty + 1, 2 * tx + 1, i]
                )
            for dy in range(2):
                for dx in range(2):
                    c = pattern[dy, dx]
                    out[3 + c, ty, tx] += variance[2 * ty + dy, 2 * tx + dx] * np.float32(0.5 if c == 1 else 1)


@nb.njit(fastmath=True, error_model="numpy")
def _of_tiles(calm, tiles, row, left, scale, limit, variances, slopes, products, uneven):
    """What all places of some tiles share.

    Of each colour of what is around: how far a place may depart from it, squared, the variance of its sites in linear
    light, and the products of slopes by which variances reach other colours; whether a tile's noise is another than
    that around it, above 0.
    """
    uneven[:] = np.float32(0)
    right = left + len(uneven)
    for c in range(3):
        slope, variance, most = slopes[c], variances[c], limit[c]
        around, spread, mine = calm[c, row, left:right], calm[3 + c, row, left:right], tiles[3 + c, row, left:right]
        for n in range(len(uneven)):
            slope[n] = scale * cosh(around[n])
        for n in range(len(uneven)):
            variance[n] = spread[n] / (slope[n] * slope[n])
            most[n] = _APART * variance[n]
        for n in range(len(uneven)):
            apart = max(spread[n] - mine[n] * _FACTOR, mine[n] - spread[n] * _FACTOR)
            uneven[n] = max(uneven[n], apart)
    for k in range(6):
        a, b, product = slopes[_PAIRS[k, 0]], slopes[_PAIRS[k, 1]], products[k]
        for n in range(len(uneven)):
            product[n] = a[n] * b[n]


@nb.njit(fastmath=True, error_model="numpy")
def _take(row, light):
    """Colours of pairs of places, of which each gets planes of its own."""
    a, b, c, d, e, f = light[0, 0], light[0, 1], light[0, 2], light[1, 0], light[1, 1], light[1, 2]
    for n in range(np.uint64(len(row) // 6)):
        m = n * _6
        a[n], b[n], c[n] = row[m], row[m + _1], row[m + _2]
        d[n], e[n], f[n] = row[m + _3], row[m + _4], row[m + _5]


@nb.njit(fastmath=True, error_model="numpy")
def _put(light, row):
    """The way back."""
    a, b, c, d, e, f = light[0, 0], light[0, 1], light[0, 2], light[1, 0], light[1, 1], light[1, 2]
    for n in range(np.uint64(len(row) // 6)):
        m = n * _6
        row[m], row[m + _1], row[m + _2] = a[n], b[n], c[n]
        row[m + _3], row[m + _4], row[m + _5] = d[n], e[n], f[n]


@nb.njit(fastmath=True, error_model="numpy")
def _of_places(light, scale, calm, row, left, limit, uneven, apart):
    """Light becomes linear; whether it departs too far from its surroundings, above 0."""
    apart[: len(uneven)] = uneven
    for c in range(3):
        here, middle, most = light[c], calm[c, row, left : left + len(uneven)], limit[c]
        for n in range(len(uneven)):
            d = here[n] - middle[n]
            apart[n] = max(apart[n], d * d - most[n])
        for n in range(len(uneven)):
            here[n] = scale * sinh(here[n])


@nb.njit(fastmath=True, error_model="numpy")
def _deviations(variances, products, by, out):
    """Deviation of a colour of the working space at places of one phase, by the sums that interpolation makes."""
    for n in range(len(out)):
        r, g, b = variances[0, n], variances[1, n], variances[2, n]
        total = np.float32(0)
        for k in range(6):
            total += products[k, n] * (r * by[0, k] + g * by[1, k] + b * by[2, k])
        out[n] = np.sqrt(max(total, np.float32(0)))


@nb.njit(fastmath=True, error_model="numpy")
def _own_deviations(variances, light, n, scale, by, slopes, out):
    """Deviations of a place that is told its own noise."""
    for c in range(3):
        slopes[c] = np.sqrt(light[c, n] * light[c, n] + scale * scale)
    for i in range(3):
        total = np.float32(0)
        for s in range(3):
            variance = variances[s] / (slopes[s] * slopes[s])
            for k in range(6):
                total += variance * by[i, s, k] * slopes[_PAIRS[k, 0]] * slopes[_PAIRS[k, 1]]
        out[i, n] = np.sqrt(max(total, np.float32(0)))


@nb.njit(fastmath=True, error_model="numpy")
def _through(matrix, light):
    """Colours through a matrix."""
    for n in range(light.shape[1]):
        r, g, b = light[0, n], light[1, n], light[2, n]
        light[0, n] = matrix[0, 0] * r + matrix[0, 1] * g + matrix[0, 2] * b
        light[1, n] = matrix[1, 0] * r + matrix[1, 1] * g + matrix[1, 2] * b
        light[2, n] = matrix[2, 0] * r + matrix[2, 1] * g + matrix[2, 2] * b


@nb.njit(parallel=True, cache=True, nogil=True, fastmath=True, error_model="numpy")
def _to_linear(rgb, tiles, calm, scale, matrix, by, sigma):
    height, rows, columns = rgb.shape[0], tiles.shape[1], tiles.shape[2]
    for ty in nb.prange((height + 1) // 2):
        # Indices of parallel loops have no sign.
        top = 2 * np.int64(ty)
        row = min(np.int64(ty), rows - 1)
        limit, variances = np.empty((3, _AT_ONCE), np.float32), np.empty((3, _AT_ONCE), np.float32)
        slopes, products = np.empty((3, _AT_ONCE), np.float32), np.empty((6, _AT_ONCE), np.float32)
        uneven, apart = np.empty(_AT_ONCE, np.float32), np.empty(_AT_ONCE, np.float32)
        light, deviations = np.empty((2, 3, _AT_ONCE), np.float32), np.empty((2, 3, _AT_ONCE), np.float32)
        slopes_of_one = np.empty(3, np.float32)
        for left in range(0, columns, _AT_ONCE):
            right = min(left + _AT_ONCE, columns)
            _of_tiles(calm, tiles, row, left, scale, limit, variances, slopes, products, uneven[: right - left])
            for y in range(top, min(top + 2, height)):
                line, into = rgb[y, 6 * left : 6 * right], sigma[y, 6 * left : 6 * right]
                _take(line, light)
                for phase in range(2):
                    of_place = by[y & 1, phase]
                    _of_places(light[phase], scale, calm, row, left, limit, uneven[: right - left], apart)
                    for i in range(3):
                        _deviations(variances, products, of_place[i], deviations[phase, i, : right - left])
                    for n in range(right - left):
                        if apart[n] > 0:
                            own = tiles[3:, row, left + n]
                            _own_deviations(own, light[phase], n, scale, of_place, slopes_of_one, deviations[phase])
                    _through(matrix, light[phase])
                _put(light, line)
                _put(deviations, into)


def to_linear(
    rgb: np.ndarray, variance: np.ndarray, pattern: np.ndarray, scale: np.float32, matrix: np.ndarray, table: np.ndarray
) -> np.ndarray:
    """Bring an interpolated picture back to linear light and into the working space, in place.

    Parameters
    ----------
    rgb : ndarray, float32 (H, W, 3)
        Balanced colours of the camera as arsinh(light / ``scale``).
    variance : ndarray, float32 (H, W)
        Of the mosaic's sites.
    pattern : ndarray, uint8 (2, 2)
    scale : float32
    matrix : ndarray, float32 (3, 3)
        From the camera's colours to the working space's.
    table : ndarray, float32 (2, 2, 3, 6)
        For a place of each phase of the mosaic and each colour of source site: the six products, over all sites of that
        colour, of the weights with which they enter R, G and B (RR, GG, BB, RG, RB, GB), on even ground.

    Returns
    -------
    ndarray, float32 (H, W, 3)
        Predicted standard deviation of the working space's colours.
    """
    height, width, _ = rgb.shape
    tiles = np.empty((6, height // 2, width // 2), np.float32)
    _tiles(rgb, variance, pattern, tiles)
    # By its own light a place that noise made darker would seem surer than it is.
    calm = np.stack([cv2.blur(plane, (3, 3)) for plane in tiles])
    sigma = np.empty_like(rgb)
    matrix = np.ascontiguousarray(matrix, np.float32)
    # For each colour of the working space, source and pair.
    by = table[:, :, None] * (matrix[:, _PAIRS].prod(-1) * _TIMES)[:, None]
    whole = 2 * (width // 2)
    _to_linear(rgb.reshape(height, -1), tiles, calm, scale, matrix, np.ascontiguousarray(by), sigma.reshape(height, -1))
    if whole < width:
        # A last column without tiles of its own goes with the one beside it.
        rgb[:, whole:] = np.sinh(rgb[:, whole:]) * scale @ matrix.T
        sigma[:, whole:] = sigma[:, whole - 1 : whole]
    return sigma
