"""Distortion measured by edges that should be straight.

The ends of an edge are drawn; between them it is followed on the picture, and the distortion is the one under which it
becomes a straight line ("straight lines have to be straight", Devernay and Faugeras 2001).
"""

from collections.abc import Callable

import cv2
import numpy as np
from scipy.ndimage import map_coordinates
from scipy.optimize import minimize_scalar

from crenn.core.colorimetry.stops import stops_of
from crenn.core.errors import CrennError

#: Places along an edge, and the farthest that it bows out, as a share of its length; places of that way.
_ALONG, _BOW, _ACROSS = 96, 0.02, 81
#: A step across costs as much as this share of the edge's own strength.
_STIFF = 0.25
#: An edge's middle is looked for within so many pixels.
_SOFT = 2.0
#: Shares of the longer side.
_SHORTEST = 0.15
#: How clear an edge must be on the whole, of 1.
_CLEAR = 0.4
#: By how much worse a percent more or less must fit, in natural logarithms of likelihood.
_SURE = 5.0
#: In percent at the corner.
_MOST = 15.0


def follow_edge(stops: np.ndarray, start: np.ndarray, end: np.ndarray) -> np.ndarray:
    """The course of an edge between two places near its ends.

    Parameters
    ----------
    stops : ndarray, float32 (h, w)
        Luminance, in stops.
    start, end : ndarray, float64 (2,)
        x and y in pixels.

    Returns
    -------
    ndarray, float64 (N, 2)

    Raises
    ------
    CrennError
        If there is no clear edge.
    """
    way = end - start
    length = float(np.hypot(*way))
    if length < _SHORTEST * max(stops.shape):
        raise CrennError("This edge is too short to be measured.", remedy="Draw along a longer one.")
    normal = np.array([-way[1], way[0]]) / length
    bow = max(_BOW * length, 5.0)
    across = np.linspace(-bow, bow, _ACROSS)
    # The ends are left out: there other edges begin.
    along = np.linspace(0.03, 0.97, _ALONG)
    grid = start + along[:, None, None] * way + across[None, :, None] * normal
    soft = cv2.GaussianBlur(stops, (0, 0), 1.0)
    profile = map_coordinates(soft, [grid[..., 1] - 0.5, grid[..., 0] - 0.5], order=1, mode="nearest")
    slope = np.gradient(profile, across, axis=1)
    # An edge keeps the sign of its contrast: the stronger of both is followed.
    clear = max(float(np.percentile(np.abs(slope), 90)), 1e-6)
    best: tuple[float, np.ndarray, np.ndarray] | None = None
    for signed in (slope, -slope):
        # A clear edge is an edge: beyond that, a lamp's is worth no more than a wall's.
        strength = np.clip(signed, 0, None)
        strength = strength / (strength + clear)
        course = _course(strength)
        total = float(strength[np.arange(_ALONG), course].mean())
        if best is None or total > best[0]:
            best = total, course, np.clip(signed, 0, None)
    assert best is not None
    total, course, rise = best
    if total < _CLEAR:
        raise CrennError("There is no clear edge along this line.", remedy="Draw from end to end of one.")
    # The way keeps to the straight side of a soft edge; its middle is where most of the rise is.
    found = across[course].astype(np.float64)
    for _ in range(4):
        weight = rise * np.exp(-(((across[None, :] - found[:, None]) / _SOFT) ** 2))
        found = (weight * across).sum(1) / np.maximum(weight.sum(1), 1e-12)
    return np.asarray(start + along[:, None] * way + found[:, None] * normal)


def _course(strength: np.ndarray) -> np.ndarray:
    """The strongest smooth way along the rows of a strength (N, M), by dynamic programming: its columns (N,)."""
    stiff = _STIFF * float(strength.max())
    total = strength[0].copy()
    came = np.zeros(strength.shape, np.int8)
    for i in range(1, len(strength)):
        padded = np.pad(total, 2, constant_values=-np.inf)
        ways = np.stack([padded[2 + d : 2 + d + total.size] - stiff * abs(d) / 2 for d in (-2, -1, 0, 1, 2)])
        chosen = ways.argmax(0)
        came[i] = chosen - 2
        total = ways.max(0) + strength[i]
    course = np.empty(len(strength), np.int64)
    course[-1] = int(total.argmax())
    for i in range(len(strength) - 1, 0, -1):
        course[i - 1] = course[i] + came[i, course[i]]
    return course


def distortion_by(rgb: np.ndarray, lines: np.ndarray, straightened: Callable[[np.ndarray, float], np.ndarray]) -> float:
    """The distortion under which edges become straight.

    Parameters
    ----------
    rgb : ndarray, float32 (h, w, 3)
        Scene-linear light.
    lines : ndarray, float64 (N, 4)
        x and y of both ends of each edge, in pixels.
    straightened : callable
        Where places, float64 (M, 2) in pixels, belong under a distortion in percent at the corner.

    Returns
    -------
    float
        In percent.

    Raises
    ------
    CrennError
        If an edge is too short or not clear, or all run through the middle, where nothing bends.
    """
    stops = stops_of(rgb, 1e-7)
    edges = [follow_edge(stops, line[:2], line[2:]) for line in lines]

    def off(distortion: float) -> np.ndarray:
        """How far the places of all edges lie from straight lines, in pixels."""
        out = []
        for edge in edges:
            places = straightened(edge, distortion)
            places = places - places.mean(0)
            out.append(places @ np.linalg.svd(places, full_matrices=False)[2][1])
        return np.concatenate(out)

    def cost(distortion: float, scale: float) -> float:
        # A place that followed another edge has little say.
        return float(np.log1p((off(distortion) / scale) ** 2).sum())

    tried = np.linspace(0.6 - _MOST, _MOST - 0.6, 61)
    found = tried[int(np.argmin([cost(d, 1.0) for d in tried]))]
    scale = 1.0
    for _ in range(3):
        bounds = (found - 0.6, found + 0.6)
        found = float(minimize_scalar(cost, bounds=bounds, args=(scale,), method="bounded", options={"xatol": 0.005}).x)
        scale = max(1.5 * float(np.median(np.abs(off(found)))), 0.05)
    # One percent more or less must fit worse beyond doubt.
    worse = min(cost(np.clip(found + d, -_MOST, _MOST), scale) for d in (-1, 1)) - cost(found, scale)
    if abs(found) > _MOST - 0.6 or worse < _SURE:
        raise CrennError("These edges do not tell the distortion.", remedy="Draw along edges far from the middle.")
    return found
