"""Colours that the working space cannot hold are brought into it.

A camera's matrix is right for the colours of most things. Of deep blue or red light from a single kind of lamp it makes
colours that no light has, with less than nothing of a component, and a luminance of about nothing or below: neither
their hue nor how deep they are was measured. They become deep colours that screens show.
"""

import cv2
import numba as nb
import numpy as np

from crenn.core.colorimetry.spaces import REC2020_TO_SRGB

_TO_SRGB = REC2020_TO_SRGB.astype(np.float32)
_FROM_SRGB = np.linalg.inv(REC2020_TO_SRGB).astype(np.float32)
#: From which distance from grey on components are compressed, which distance comes to 1, and how sharply: those that
#: lack red, green and blue (Reference Gamut Compression, Academy Color Encoding System 1.3, AMPAS 2021).
_THRESHOLD = np.array([0.815, 0.803, 0.880], np.float32)
_LIMIT = np.array([1.147, 1.264, 1.312], np.float32)
_POWER = 1.2
#: Distances in the working space from which on, and from which on wholly, a colour is taken for one that is none.
_DEEP, _BEYOND = 0.88, 1.0
#: Side of the cells by whose mean colour it is told how far, in pixels.
_CELL = 4
#: A cell has a say if its strongest component stands out by so many deviations of the mean; and its distances are
#: believed less so many of theirs.
_SURE, _LESS = 6.0, 1.0
#: Correlation of the noise of two colours: rebuilding them from a mosaic gives them what is fine of each other.
_SHARED = np.float32(0.75)
#: Scenes with less than this share beyond the space stay as they were measured, also where colours are deep.
_FEW = 2e-4


def compressed_distance(distance: np.ndarray) -> np.ndarray:
    """Distances of components from grey, 0 for grey and 1 at the space's border, brought within the border.

    Parameters
    ----------
    distance : ndarray (..., 3)
        By how much red, green and blue fall short of the strongest component, in shares of that.
    """
    span = _LIMIT - _THRESHOLD
    scale = span / (((1 - _THRESHOLD) / span) ** -_POWER - 1) ** (1 / _POWER)
    beyond = np.maximum(distance - _THRESHOLD, 0)
    inside = _THRESHOLD + beyond / (1 + (beyond / scale) ** _POWER) ** (1 / _POWER)
    return np.asarray(np.where(beyond > 0, inside, distance))


def _distance(mean: np.ndarray, noise: np.ndarray) -> np.ndarray:
    """Distances from grey that are sure, float32 (h, w, 3); 0 where nothing is."""
    strongest = mean.argmax(-1)[..., None]
    top, of_top = (np.take_along_axis(v, strongest, -1) for v in (mean, noise))
    sure = top > _SURE * of_top
    over = np.where(sure, top, 1)
    distance = (top - mean - _LESS * np.hypot(noise, of_top)) / over
    return np.where(sure, np.maximum(distance, 0), 0).astype(np.float32)


def _cells(rgb: np.ndarray, sigma: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Mean colour of each cell and its deviation, float32 (h, w, 3) both."""
    height, width = rgb.shape[:2]
    size = (max(width // _CELL, 1), max(height // _CELL, 1))
    # Deviations vary slowly: one of each cell speaks for it.
    noise = sigma[::_CELL, ::_CELL][: size[1], : size[0]] / _CELL
    return cv2.resize(rgb, size, interpolation=cv2.INTER_AREA), noise


def _factors(mean: np.ndarray, noise: np.ndarray, distance: np.ndarray) -> np.ndarray:
    """Factors by which what linear sRGB falls short by is multiplied, float32 (h, w, 3), by distances of cells from
    grey in the working space, (h, w)."""
    share = np.clip((distance - _DEEP) / (_BEYOND - _DEEP), 0, 1)[..., None]
    shown = _distance(cv2.transform(mean, _TO_SRGB), np.sqrt(cv2.transform(noise * noise, _TO_SRGB * _TO_SRGB)))
    factor = np.where(shown > 0, compressed_distance(shown) / np.maximum(shown, 1e-6), 1)
    return (1 - share * (1 - factor)).astype(np.float32)


def bring_into_gamut(rgb: np.ndarray, sigma: np.ndarray) -> float:
    """Bring colours beyond the working space into it, in place, with their predicted deviations.

    What a pixel falls short by of its strongest component is lessened by a factor that its surroundings tell: in
    proportion, so that noise about a colour stays noise about it. Colours well within the space stay to the last bit,
    and so do all of a scene that the space can hold.

    Parameters
    ----------
    rgb, sigma : ndarray, float32 (H, W, 3)
        Linear Rec. 2020 and its deviations.

    Returns
    -------
    float
        Share of the picture whose colours lay beyond the space.
    """
    mean, noise = _cells(rgb, sigma)
    distance = _distance(mean, noise).max(-1)
    beyond = float((distance > _BEYOND).mean())
    if beyond < _FEW:
        return beyond
    factor = _factors(mean, noise, distance)
    # The median keeps edges and takes out of the factors what noise the cells have. At edges the stronger one holds: a
    # rim with less of it would be darker than both sides.
    even = np.stack([cv2.medianBlur(np.ascontiguousarray(factor[..., c]), 5) for c in range(3)], -1)
    _lessen(rgb, sigma, cv2.erode(even, np.ones((3, 3), np.uint8)))
    return beyond


@nb.njit(parallel=True, cache=True, nogil=True, fastmath=True, error_model="numpy")
def _lessen(rgb, sigma, cells):
    """Multiply what pixels fall short by of their strongest component of linear sRGB by factors of cells."""
    height, width = rgb.shape[:2]
    rows, columns = cells.shape[:2]
    down, across = np.float32(rows / height), np.float32(columns / width)
    half, one, nothing = np.float32(0.5), np.float32(1), np.float32(0)
    for y in nb.prange(height):
        share, shown = np.empty(3, np.float32), np.empty(3, np.float32)
        changed, by = np.empty(3, np.float32), np.empty((3, 3), np.float32)
        at_y = min(max((y + half) * down - half, nothing), np.float32(rows - 1))
        i = min(int(at_y), max(rows - 2, 0))
        v = at_y - np.float32(i)
        below = min(i + 1, rows - 1)
        for x in range(width):
            at_x = min(max((x + half) * across - half, nothing), np.float32(columns - 1))
            j = min(int(at_x), max(columns - 2, 0))
            u = at_x - np.float32(j)
            beside = min(j + 1, columns - 1)
            least = one
            for c in range(3):
                upper = cells[i, j, c] * (one - u) + cells[i, beside, c] * u
                lower = cells[below, j, c] * (one - u) + cells[below, beside, c] * u
                share[c] = upper * (one - v) + lower * v
                least = min(least, share[c])
            if least >= one:
                continue
            top = 0
            for c in range(3):
                shown[c] = _TO_SRGB[c, 0] * rgb[y, x, 0] + _TO_SRGB[c, 1] * rgb[y, x, 1] + _TO_SRGB[c, 2] * rgb[y, x, 2]
                if shown[c] > shown[top]:
                    top = c
            if shown[top] <= nothing:
                continue
            # As a matrix on the working space's colours, for their deviations.
            for c in range(3):
                for k in range(3):
                    total = nothing
                    for m in range(3):
                        own = share[m] * _TO_SRGB[m, k] + (one - share[m]) * _TO_SRGB[top, k]
                        total += _FROM_SRGB[c, m] * own
                    by[c, k] = total
            for c in range(3):
                changed[c] = by[c, 0] * rgb[y, x, 0] + by[c, 1] * rgb[y, x, 1] + by[c, 2] * rgb[y, x, 2]
                total, together = nothing, nothing
                for k in range(3):
                    own = by[c, k] * sigma[y, x, k]
                    total, together = total + own * own, together + own
                shown[c] = np.sqrt((one - _SHARED) * total + _SHARED * together * together)
            for c in range(3):
                rgb[y, x, c], sigma[y, x, c] = changed[c], shown[c]
