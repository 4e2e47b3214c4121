"""Water: what mirrors all that stands above it.

Still water shows at a place below the horizon what stands as far above it; waves blur that up and down. No model
was trained for it: the horizon is the line about which the picture is most like itself turned over (as symmetry is
found by correlation, Loy and Eklundh 2006), and water is what is smooth there and matches.
"""

import cv2
import numpy as np

from crenn.core.areas.found.regions import Regions
from crenn.core.areas.found.sky import told_apart
from crenn.core.areas.found.trimap import TrimapModel
from crenn.core.pipeline.planes import PlaneContext

#: Colour counts so many times as light, in EV.
_OF_COLOUR = 6.0
#: Symmetry is looked for in a picture so many times smaller.
_SMALLER = 4
#: Deviations by which that is blurred, across and down, and by which what is even across is told, in its pixels.
_ACROSS, _WAVES, _EVEN = 1.0, 4.0, 12.0
#: Where the horizon may lie, and what is too near it to tell, in shares of the picture's height: what stands on both
#: sides of a line is symmetric about it.
_FROM, _TO, _NEAR = 0.2, 0.8, 0.06
#: Least correlation of all that is mirrored, of a region, and neighbourhoods for that, in pixels of the small picture.
_MIRRORS, _MATCHES, _AROUND = 0.3, 0.25, (41, 15)
#: What matches so well is water though it is rough; gaps of so many pixels are bridged, down and across.
_STREAKS, _BRIDGED = 0.45, (15, 31)
#: The least region, and the least water, in shares of the picture.
_LEAST, _NONE = 0.001, 0.01


def _mirrored(plane: np.ndarray, horizon: int) -> np.ndarray:
    """A picture turned over about a row; rows that nothing is mirrored in are nothing."""
    rows = 2 * horizon - np.arange(plane.shape[0])
    out = plane[np.clip(rows, 0, plane.shape[0] - 1)].copy()
    near = np.arange(plane.shape[0]) - horizon < _NEAR * plane.shape[0]
    out[near | (rows < 0)] = 0
    return out


def _correlation(one: np.ndarray, other: np.ndarray) -> float:
    """Mean over rows of how much two pictures vary alike across; rows where nothing is mirrored count as unlike."""
    both = (one * other).sum((1, 2))
    energy = np.sqrt((one**2).sum((1, 2)) * (other**2).sum((1, 2)))
    rows = energy > 0
    # A horizon low in the picture leaves little water to tell.
    return float((both[rows] / energy[rows]).mean()) if rows.mean() > 0.12 else -1.0


def find_water(rgb: np.ndarray, around: PlaneContext) -> TrimapModel:
    """The water of a scene.

    Parameters
    ----------
    rgb : ndarray, float32 (h, w, 3)
        Light of the whole scene, reduced as for `crenn.core.areas.found.sky.find_sky`.
    around : PlaneContext

    Returns
    -------
    TrimapModel
        Nothing of it where there is none, or what is mirrored lies outside the picture.
    """
    regions = Regions(rgb, around)
    told, (height, width) = regions.of, rgb.shape[:2]
    size = max(width // _SMALLER, 8), max(height // _SMALLER, 8)
    small = cv2.resize(told * np.array([1, _OF_COLOUR, _OF_COLOUR], np.float32), size, interpolation=cv2.INTER_AREA)
    small = cv2.GaussianBlur(small, (0, 0), sigmaX=_ACROSS, sigmaY=_WAVES)
    varies = small - cv2.GaussianBlur(small, (0, 0), sigmaX=_EVEN, sigmaY=0.1)
    rows = range(int(_FROM * size[1]), int(_TO * size[1]))
    likeness = {row: _correlation(varies, _mirrored(varies, row)) for row in rows}
    horizon = max(likeness, key=lambda row: likeness[row])
    if likeness[horizon] < _MIRRORS:
        return TrimapModel.nothing()
    other = _mirrored(varies, horizon)
    both = cv2.blur((varies * other).sum(-1), _AROUND)
    energy = np.sqrt(cv2.blur((varies**2).sum(-1), _AROUND) * cv2.blur((other**2).sum(-1), _AROUND))
    matches = cv2.resize(np.where(energy > 0, both / np.maximum(energy, 1e-6), 0), (width, height))
    flat = regions.names.ravel()
    mean = np.bincount(flat, matches.ravel(), regions.count) / np.maximum(np.bincount(flat, minlength=regions.count), 1)
    start = horizon * _SMALLER
    water = (regions.share > _LEAST) & regions.smooth & (mean > _MATCHES) & (regions.top >= start)
    water[0] = False
    if regions.share[water].sum() < _NONE:
        return TrimapModel.nothing()
    # Streaks of lamps part the water into pieces, and are rough: they match what is above them.
    joined = regions.mask(water) | (matches > _STREAKS)
    closed = cv2.morphologyEx(joined.astype(np.uint8), cv2.MORPH_CLOSE, np.ones(_BRIDGED, np.uint8))
    closed = cv2.morphologyEx(closed, cv2.MORPH_OPEN, np.ones((5, 5), np.uint8))
    closed[:start] = 0
    return told_apart(closed > 0, told)
