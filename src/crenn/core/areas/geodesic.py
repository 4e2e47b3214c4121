"""Distances over a picture that count what changes on the way: how far a place is from another in light and colour.

Generalised geodesic distances by raster scans (Criminisi, Sharp and Blake 2008, "GeoS: geodesic image segmentation").
"""

import cv2
import numba as nb
import numpy as np

#: Opponent axes count so many times as stops, and local texture, as the deviation of stops, so many.
_OF_COLOUR, _OF_TEXTURE = 6.0, 0.7
#: Neighbourhood that texture is told by, and over which single pixels are evened out, in pixels.
_TEXTURE, _EVENED = 9, 5
#: What a step costs by itself, in EV per pixel, and in proportion to how unlike the place is that it leads to.
_PACE, _UNLIKE = 0.001, 0.03
#: Light counts for less there than colour: surfaces are lit unevenly.
_OF_LIGHT = np.array([0.3, 1.0, 1.0, 0.5], np.float32)
#: So unlike a place may be for nothing, in what lies about the seed, and in EV at least; as much of a step is free.
_SLACK, _LEAST = 1.5, 0.12
_FREE, _SHARE = 1.3, 0.8
#: Radius about the seed that tells what its surface varies by, in pixels.
_ABOUT = 14.0
#: Times that the picture is scanned there and back.
_SCANS = 3


def surfaces(told: np.ndarray) -> np.ndarray:
    """Light, colour and texture on one scale, in EV, float32 (h, w, 4).

    Parameters
    ----------
    told : ndarray, float32 (h, w, 3)
        As `crenn.core.areas.appearance.appearance_features` tells.
    """
    even = [cv2.medianBlur(np.ascontiguousarray(told[..., c]), _EVENED) for c in range(3)]
    mean = cv2.blur(told[..., 0], (_TEXTURE, _TEXTURE))
    squares = cv2.blur(told[..., 0] ** 2, (_TEXTURE, _TEXTURE))
    texture = np.sqrt(np.maximum(squares - mean * mean, 0))
    return np.stack([even[0], _OF_COLOUR * even[1], _OF_COLOUR * even[2], _OF_TEXTURE * texture], -1).astype(np.float32)


def distances(surface: np.ndarray, place: tuple[float, float], radius: float = 3.0) -> np.ndarray:
    """How far all places are from one, in EV on the way, float32 (h, w).

    Parameters
    ----------
    surface : ndarray, float32 (h, w, 4)
        See `surfaces`.
    place : tuple of float
        x and y, in pixels.
    radius : float
        Pixels about it that tell what it looks like.
    """
    height, width = surface.shape[:2]
    y, x = np.ogrid[:height, :width]
    seed = (x + 0.5 - place[0]) ** 2 + (y + 0.5 - place[1]) ** 2 <= radius**2
    if not seed.any():
        seed[min(max(int(place[1]), 0), height - 1), min(max(int(place[0]), 0), width - 1)] = True
    about = (x + 0.5 - place[0]) ** 2 + (y + 0.5 - place[1]) ** 2 <= _ABOUT**2
    about |= seed
    # What most of it looks like: beside an edge, the side that was clicked.
    like = np.median(surface[seed], 0)
    spread = np.sqrt(((_OF_LIGHT * (surface[about] - like)) ** 2).sum(-1))
    unlike = np.sqrt(((_OF_LIGHT * (surface - like)) ** 2).sum(-1))
    slack = max(_SLACK * float(np.median(spread)), _LEAST)
    unlike = np.maximum(unlike - slack, 0) * _UNLIKE + _PACE
    # What a rippled lake or a brick wall changes from pixel to pixel by itself costs nothing.
    free = _FREE * float(np.quantile(_changes(surface)[about], _SHARE))
    return _reached(surface, seed, unlike.astype(np.float32), free)


def from_border(surface: np.ndarray) -> np.ndarray:
    """How far all places are from the picture's border, in EV on the way, float32 (h, w); see `distances`."""
    border = np.ones(surface.shape[:2], bool)
    border[1:-1, 1:-1] = False
    return _reached(surface, border, np.zeros(border.shape, np.float32), float(np.median(_changes(surface))))


def _changes(surface: np.ndarray) -> np.ndarray:
    """By how much each place differs from the next one in its row, float32 (h, w)."""
    return np.sqrt((np.diff(surface, axis=1, append=surface[:, -1:]) ** 2).sum(-1))


def _reached(surface: np.ndarray, seed: np.ndarray, cost: np.ndarray, free: float) -> np.ndarray:
    """How far places are from seeds, bool (h, w), where steps cost something, and are free up to a change."""
    out = np.where(seed, np.float32(0), np.float32(np.inf))
    for _ in range(_SCANS):
        _scan(surface, cost, np.float32(free), out)
    return out


@nb.njit(cache=True, nogil=True, fastmath=False)
def _scan(surface, cost, free, out):
    """Scan a picture there and back: a place is as far as the nearest neighbour passed so far, and the step from it."""
    height, width = out.shape
    diagonal = np.float32(1.41421356)
    for way in range(2):
        for j in range(height):
            y = j if way == 0 else height - 1 - j
            back = -1 if way == 0 else 1
            for i in range(width):
                x = i if way == 0 else width - 1 - i
                best = out[y, x]
                for n in range(4):
                    # The three of the row that was passed, and the one before in this row.
                    v, u = (y + back, x + n - 1) if n < 3 else (y, x + back)
                    if v < 0 or v >= height or u < 0 or u >= width or not out[v, u] < best:
                        continue
                    step = np.float32(0)
                    for c in range(surface.shape[2]):
                        d = surface[y, x, c] - surface[v, u, c]
                        step += d * d
                    far = diagonal if n == 0 or n == 2 else np.float32(1)
                    reached = out[v, u] + max(np.sqrt(step) - far * free, np.float32(0)) + far * cost[y, x]
                    if reached < best:
                        best = reached
                out[y, x] = best
