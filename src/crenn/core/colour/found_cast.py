"""The cast of a picture, found by its edges or by its dull colours."""

from typing import Literal

import cv2
import numpy as np

from crenn.core.colorimetry.oklab import hue_and_saturation
from crenn.core.colorimetry.spaces import luminance
from crenn.core.colorimetry.stops import stops_of
from crenn.core.colour.cast import within

#: Deviation of the Gaussian whose derivatives tell edges, in pixels of the reduced picture.
_SIGMA = 1.5
#: Saturation about which a colour is dull, and how often their mean is taken anew.
_DULL, _ROUNDS = 0.06, 25
#: Fewer places than this say nothing.
_LEAST = 64

Method = Literal["edges", "dull"]


def find_cast(rgb: np.ndarray, speaking: np.ndarray, by: Method) -> tuple[float, float]:
    """The cast of some places of a picture.

    By ``"edges"``: the differences of neighbouring places are grey in the mean (grey-edge hypothesis; van de Weijer,
    Gevers and Gijsenij 2007), here in proportion to the light, as lamps would have all say in a night. By ``"dull"``:
    the dull colours nearest to grey are grey; a weighted mean of logarithms goes there from grey, and large coloured
    things, which lie elsewhere, have no say.

    Parameters
    ----------
    rgb : ndarray, float32 (h, w, 3)
        Scene-linear Rec. 2020, reduced.
    speaking : ndarray, bool (h, w)
        Places that are asked.
    by : "edges" or "dull"

    Returns
    -------
    red, blue : float
        By how much red and blue are brighter than green, in EV.

    Raises
    ------
    ValueError
        If too few places say anything.
    """
    known = speaking & (rgb.min(-1) > 0)
    if known.sum() < _LEAST:
        raise ValueError("Too little of this has light in all colours to tell a cast.")
    red, blue = (_by_edges if by == "edges" else _by_dull)(rgb, known)
    if not (abs(red) <= 3 and abs(blue) <= 3):
        raise ValueError("What is found is so strong that it is no cast.")
    return float(red), float(blue)


def _by_edges(rgb: np.ndarray, known: np.ndarray) -> tuple[float, float]:
    light = np.maximum(cv2.GaussianBlur(luminance(rgb), (0, 0), 2 * _SIGMA), 1e-9)
    # Places whose neighbours have no say would lend them theirs.
    inside = cv2.erode(known.astype(np.uint8), np.ones((5, 5), np.uint8)) > 0
    if inside.sum() < _LEAST:
        inside = known
    means = []
    for colour in np.moveaxis(rgb, -1, 0):
        smooth = cv2.GaussianBlur(np.ascontiguousarray(colour), (0, 0), _SIGMA)
        slopes = np.hypot(cv2.Sobel(smooth, cv2.CV_32F, 1, 0), cv2.Sobel(smooth, cv2.CV_32F, 0, 1))
        share = (slopes / light)[inside].astype(np.float64)
        # A plain mean: norms that let the strongest say more listen to skylines, which are edges between lights.
        means.append(share.mean())
    if min(means) <= 1e-7:
        raise ValueError("There are no edges here that could tell a cast. Ask dull colours instead.")
    return float(np.log2(means[0] / means[1])), float(np.log2(means[2] / means[1]))


def _by_dull(rgb: np.ndarray, known: np.ndarray) -> tuple[float, float]:
    colours = rgb[known].astype(np.float64)
    logs = np.log2(colours)
    ratios = logs[:, (0, 2)] - logs[:, 1:2]
    cast = np.zeros(2)
    for _ in range(_ROUNDS):
        balanced = colours * np.exp2([-cast[0], 0.0, -cast[1]])
        saturation = hue_and_saturation(balanced)[1]
        weight = 1.0 / (1.0 + (saturation / _DULL) ** 4)
        if weight.sum() < 1e-4 * len(weight):
            raise ValueError("No dull colour here tells a cast. Ask edges instead.")
        cast = (ratios * weight[:, None]).sum(0) / weight.sum()
    return float(cast[0]), float(cast[1])


def asked(rgb: np.ndarray, low: float | None, high: float | None) -> np.ndarray:
    """Places of a picture whose tone lies in a range, bool (h, w); see `crenn.core.colour.cast.within`."""
    stops = stops_of(rgb, 2.0**-40)
    return np.asarray(within(stops, low, high) > 0.5)
