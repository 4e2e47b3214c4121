"""Colours that the working space cannot hold are brought into it.

A camera's matrix is right for the colours of most things; of deep blue or red light from a single kind of lamp it makes
colours that no light has, with less than nothing of a component, and a luminance of about nothing or below.
"""

import cv2
import numba as nb
import numpy as np

#: From which distance from grey on components are compressed, which distance comes to 1, and how sharply: those that
#: lack red, green and blue (Reference Gamut Compression, Academy Color Encoding System 1.3, AMPAS 2021).
_THRESHOLD = np.array([0.815, 0.803, 0.880], np.float32)
_LIMIT = np.array([1.147, 1.264, 1.312], np.float32)
_POWER = 1.2
#: Side of the cells by whose mean colour it is told how far, in pixels.
_CELL = 4
#: A cell has a say if its strongest component stands out by so many deviations of the mean; and its distances are
#: believed less so many of theirs.
_SURE, _LESS = 6.0, 1.0
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


def _cells(rgb: np.ndarray, sigma: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Of each cell the distances of its components that are sure, and their factors, float32 (h, w, 3) both."""
    height, width = rgb.shape[:2]
    size = (max(width // _CELL, 1), max(height // _CELL, 1))
    mean = cv2.resize(rgb, size, interpolation=cv2.INTER_AREA)
    noise = cv2.resize(sigma, size, interpolation=cv2.INTER_AREA) / _CELL
    strongest = mean.argmax(-1)
    top = np.take_along_axis(mean, strongest[..., None], -1)
    noise_of_top = np.take_along_axis(noise, strongest[..., None], -1)
    sure = top > _SURE * noise_of_top
    over = np.where(sure, top, 1)
    distance = (top - mean) / over - _LESS * np.hypot(noise, noise_of_top) / over
    distance = np.where(sure, np.maximum(distance, 0), 0)
    factor = compressed_distance(distance) / np.maximum(distance, 1e-6)
    return distance, np.where(distance > 0, factor, 1).astype(np.float32)


def bring_into_gamut(rgb: np.ndarray, sigma: np.ndarray) -> float:
    """Bring colours beyond the working space into it, in place, with their predicted deviations.

    What a pixel falls short by of its strongest component is lessened by a factor that its surroundings tell: in
    proportion, so that noise about a colour stays noise about it. Colours well within the space stay to the last bit.

    Parameters
    ----------
    rgb, sigma : ndarray, float32 (H, W, 3)
        Linear Rec. 2020 and its deviations.

    Returns
    -------
    float
        Share of the picture whose colours lay beyond the space.
    """
    distance, factor = _cells(rgb, sigma)
    beyond = float((distance > 1).any(-1).mean())
    if beyond < _FEW:
        return beyond
    # At edges the stronger factor holds: a rim with less of it would be darker than both sides.
    _lessen(rgb, sigma, cv2.erode(factor, np.ones((3, 3), np.uint8)))
    return beyond


@nb.njit(parallel=True, cache=True, nogil=True, fastmath=True)
def _lessen(rgb, sigma, cells):
    """Multiply what pixels fall short by of their strongest component by factors of cells, linear between them."""
    height, width = rgb.shape[:2]
    rows, columns = cells.shape[:2]
    down, across = np.float32(rows / height), np.float32(columns / width)
    half, one, nothing = np.float32(0.5), np.float32(1), np.float32(0)
    for y in nb.prange(height):
        at_y = min(max((y + half) * down - half, nothing), np.float32(rows - 1))
        i = min(int(at_y), max(rows - 2, 0))
        v = at_y - np.float32(i)
        below = min(i + 1, rows - 1)
        for x in range(width):
            top, noise = rgb[y, x, 0], sigma[y, x, 0]
            for c in range(1, 3):
                if rgb[y, x, c] > top:
                    top, noise = rgb[y, x, c], sigma[y, x, c]
            if top <= nothing:
                continue
            at_x = min(max((x + half) * across - half, nothing), np.float32(columns - 1))
            j = min(int(at_x), max(columns - 2, 0))
            u = at_x - np.float32(j)
            beside = min(j + 1, columns - 1)
            for c in range(3):
                upper = cells[i, j, c] * (one - u) + cells[i, beside, c] * u
                lower = cells[below, j, c] * (one - u) + cells[below, beside, c] * u
                share = upper * (one - v) + lower * v
                if share >= one:
                    continue
                rgb[y, x, c] = top - (top - rgb[y, x, c]) * share
                own, other = sigma[y, x, c] * share, noise * (one - share)
                sigma[y, x, c] = np.sqrt(own * own + other * other)
