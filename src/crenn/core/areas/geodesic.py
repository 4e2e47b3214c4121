"""Distances over a picture that count what changes on the way: how far a place is from another in light and colour.

Generalised geodesic distances by raster scans (Criminisi, Sharp and Blake 2008, "GeoS: geodesic image segmentation").
"""

from typing import NamedTuple

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


class Surface(NamedTuple):
    """What ways over a picture go by.

    Attributes
    ----------
    looks : ndarray, float32 (h, w, 4)
        Light, colour and texture on one scale, in EV.
    steps : ndarray, float32 (4, h, w)
        By how much that changes from each place to the right, down, right and down, and left and down.
    """

    looks: np.ndarray
    steps: np.ndarray

    @property
    def nbytes(self) -> int:
        return self.looks.nbytes + self.steps.nbytes


def surface_of(told: np.ndarray) -> Surface:
    """What ways over a picture go by.

    Parameters
    ----------
    told : ndarray, float32 (h, w, 3)
        As `crenn.core.areas.appearance.appearance_features` tells.
    """
    even = [cv2.medianBlur(np.ascontiguousarray(told[..., c]), _EVENED) for c in range(3)]
    mean = cv2.blur(told[..., 0], (_TEXTURE, _TEXTURE))
    squares = cv2.blur(told[..., 0] ** 2, (_TEXTURE, _TEXTURE))
    texture = np.sqrt(np.maximum(squares - mean * mean, 0))
    looks = np.stack([even[0], _OF_COLOUR * even[1], _OF_COLOUR * even[2], _OF_TEXTURE * texture], -1)
    looks = looks.astype(np.float32)
    # Seeds share these: a way from each is a scan of sums.
    steps = np.zeros((4, *told.shape[:2]), np.float32)
    steps[0, :, :-1] = np.linalg.norm(looks[:, 1:] - looks[:, :-1], axis=-1)
    steps[1, :-1] = np.linalg.norm(looks[1:] - looks[:-1], axis=-1)
    steps[2, :-1, :-1] = np.linalg.norm(looks[1:, 1:] - looks[:-1, :-1], axis=-1)
    steps[3, :-1, 1:] = np.linalg.norm(looks[1:, :-1] - looks[:-1, 1:], axis=-1)
    return Surface(looks, steps)


def distances(surface: Surface, place: tuple[float, float], radius: float = 3.0) -> np.ndarray:
    """How far all places are from one, in EV on the way, float32 (h, w).

    Parameters
    ----------
    surface : Surface
    place : tuple of float
        x and y, in pixels.
    radius : float
        Pixels about it that tell what it looks like.
    """
    looks = surface.looks
    height, width = looks.shape[:2]
    y, x = np.ogrid[:height, :width]
    seed = (x + 0.5 - place[0]) ** 2 + (y + 0.5 - place[1]) ** 2 <= radius**2
    if not seed.any():
        seed[min(max(int(place[1]), 0), height - 1), min(max(int(place[0]), 0), width - 1)] = True
    about = (x + 0.5 - place[0]) ** 2 + (y + 0.5 - place[1]) ** 2 <= _ABOUT**2
    about |= seed
    # What most of it looks like: beside an edge, the side that was clicked.
    like = np.median(looks[seed], 0)
    spread = np.sqrt(((_OF_LIGHT * (looks[about] - like)) ** 2).sum(-1))
    unlike = np.sqrt(((_OF_LIGHT * (looks - like)) ** 2).sum(-1))
    slack = max(_SLACK * float(np.median(spread)), _LEAST)
    unlike = np.maximum(unlike - slack, 0) * _UNLIKE + _PACE
    # What a rippled lake or a brick wall changes from pixel to pixel by itself costs nothing.
    free = _FREE * float(np.quantile(surface.steps[0][about], _SHARE))
    return _reached(surface, seed, unlike.astype(np.float32), free)


def from_border(surface: Surface) -> np.ndarray:
    """How far all places are from the picture's border, in EV on the way, float32 (h, w); see `distances`."""
    border = np.ones(surface.looks.shape[:2], bool)
    border[1:-1, 1:-1] = False
    return _reached(surface, border, np.zeros(border.shape, np.float32), float(np.median(surface.steps[0])))


def _reached(surface: Surface, seed: np.ndarray, cost: np.ndarray, free: float) -> np.ndarray:
    """How far places are from seeds, bool (h, w), where steps cost something, and are free up to a change."""
    out = np.where(seed, np.float32(0), np.float32(np.inf))
    for _ in range(_SCANS):
        if not _scan(surface.steps, cost, np.float32(free), out):
            break
    return out


@nb.njit(inline="always", error_model="numpy")
def _by(reached, step, far, free, cost):
    """How far a place is by way of a neighbour."""
    return reached + max(step - far * free, np.float32(0)) + far * cost


@nb.njit(cache=True, nogil=True, error_model="numpy")
def _scan(steps, cost, free, out):
    """Scan a picture there and back: a place is as far as the nearest neighbour passed so far, and the step from it.

    Whether any place has come nearer.
    """
    height, width = out.shape
    one, diagonal = np.float32(1), np.float32(1.41421356)
    nearer = False
    for y in range(height):
        for x in range(width):
            best, own = out[y, x], cost[y, x]
            if x > 0:
                best = min(best, _by(out[y, x - 1], steps[0, y, x - 1], one, free, own))
            if y > 0:
                best = min(best, _by(out[y - 1, x], steps[1, y - 1, x], one, free, own))
                if x > 0:
                    best = min(best, _by(out[y - 1, x - 1], steps[2, y - 1, x - 1], diagonal, free, own))
                if x < width - 1:
                    best = min(best, _by(out[y - 1, x + 1], steps[3, y - 1, x + 1], diagonal, free, own))
            nearer |= best < out[y, x]
            out[y, x] = best
    for y in range(height - 1, -1, -1):
        for x in range(width - 1, -1, -1):
            best, own = out[y, x], cost[y, x]
            if x < width - 1:
                best = min(best, _by(out[y, x + 1], steps[0, y, x], one, free, own))
            if y < height - 1:
                best = min(best, _by(out[y + 1, x], steps[1, y, x], one, free, own))
                if x < width - 1:
                    best = min(best, _by(out[y + 1, x + 1], steps[2, y, x], diagonal, free, own))
                if x > 0:
                    best = min(best, _by(out[y + 1, x - 1], steps[3, y, x], diagonal, free, own))
            nearer |= best < out[y, x]
            out[y, x] = best
    return nearer
