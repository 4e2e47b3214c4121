"""The sky: what is smooth and joined to the upper border, with what is like it above the same skyline.

No model was trained for it. Smooth regions are parted where light or colour steps (as Shen and Wang 2013, "Sky region
detection in a single image for autonomous ground robot navigation", part rows); which of them are sky is told by where
they lie and how little texture they have.
"""

import cv2
import numpy as np

from crenn.core.areas.appearance import appearance_features
from crenn.core.areas.found.regions import UNDER, Regions
from crenn.core.areas.found.trimap import TrimapModel, carried_outwards
from crenn.core.pipeline.planes import PlaneContext

#: Longer side of the picture in which it is looked for, in pixels.
SIDE = 900
#: A part of it that is rougher, in EV per pixel and in proportion to all of it, is none, save for such a rim in pixels.
_ROUGH, _ROUGHER, _RIM = 0.045, 8.0, 5
#: Shares of the picture: the least region joined to the border, the least anywhere, and the least sky.
_JOINED, _LEAST, _NONE = 0.003, 0.0002, 0.003
#: Regions that are not joined to the border are sky as far as they are like it, in EV and chroma.
_LIKE, _LIKE_AXES = 0.8, 0.06
#: They reach no lower than so much of the picture's height below it.
_BELOW = 0.06
#: Seen from within a room, a sky is so many stops above the middle of the picture, and its panes differ by so many.
_OUTSHINES, _PANES = 3.5, 0.8
#: Panes of a sky together are at least this share of the largest such group.
_MANY = 0.3
#: Pixels on either side of an edge whose own light has to tell.
_BAND = 3
#: How far light spreads around lamps before the sky, in pixels.
_GLARE = 40
#: By how many stops it lifts the sky at most.
_GLARING = 4.0
#: Light that it spreads is no steeper, in EV per pixel.
_GLARES = 0.36


def _from_within(regions: Regions, told: np.ndarray) -> np.ndarray:
    """The panes through which a sky is seen from a room, bool (count,): smooth, alike, many, and brightest of all."""
    bright = regions.told[:, 0] > np.median(told[..., 0]) + _OUTSHINES
    panes = np.flatnonzero(bright & (regions.share > _LEAST) & regions.smooth)
    alike = [
        panes[
            (np.abs(regions.told[panes, 0] - regions.told[one, 0]) < _PANES / 2)
            & (np.hypot(*(regions.told[panes, 1:] - regions.told[one, 1:]).T) < _LIKE_AXES / 2)
        ]
        for one in panes
    ]
    found = np.zeros(regions.count, bool)
    if alike:
        shares = np.array([regions.share[group].sum() for group in alike])
        stops = np.array([regions.told[group, 0].mean() for group in alike])
        # Lampshades are brighter, and small.
        best = max(np.flatnonzero(shares > _MANY * shares.max()), key=lambda i: stops[i])
        found[alike[best]] = True
    return found


def _like(regions: Regions, sky: np.ndarray, told: np.ndarray) -> np.ndarray:
    """Regions that are like the sky that was found, and do not lie below it, bool (count,)."""
    inside = regions.mask(sky)
    around = carried_outwards(told, inside)
    flat = regions.names.ravel()
    pixels = np.maximum(np.bincount(flat, minlength=regions.count), 1)
    expected = np.stack([np.bincount(flat, around[..., c].ravel(), regions.count) / pixels for c in range(3)], -1)
    lowest = regions.bottom[sky].max() + _BELOW * told.shape[0]
    return np.asarray(
        (regions.share > _LEAST)
        & regions.smooth
        & (np.abs(regions.told[:, 0] - expected[:, 0]) < _LIKE)
        & (np.hypot(*(regions.told[:, 1:] - expected[:, 1:]).T) < _LIKE_AXES)
        & (regions.bottom <= lowest)
    )


def _without_rough(sky: np.ndarray, slope: np.ndarray) -> np.ndarray:
    """The sky without what hangs on to it where something rough happens to be as bright as it; bool (h, w)."""
    weight = sky.astype(np.float32)
    around = cv2.blur(slope * weight, (9, 9)) / np.maximum(cv2.blur(weight, (9, 9)), 1e-3)
    core = (sky & (around < max(_ROUGH, _ROUGHER * float(np.median(slope[sky]))))).astype(np.uint8)
    for _ in range(_RIM):
        core = cv2.dilate(core, np.ones((3, 3), np.uint8)) & sky
    return np.asarray(core > 0)


def _with_glare(sky: np.ndarray, told: np.ndarray, slope: np.ndarray) -> np.ndarray:
    """The sky with what adjoins it smoothly and is as bright, or brighter by the glare of a lamp; bool (h, w)."""
    around = carried_outwards(told, sky)
    over = told[..., 0] - around[..., 0]
    way = (slope < _GLARES) & (over > 0.1) & (over < _GLARING)
    grown = sky.astype(np.uint8)
    for _ in range(_GLARE):
        further = cv2.dilate(grown, np.ones((3, 3), np.uint8)) & (way | sky)
        if np.array_equal(further, grown):
            break
        grown = further
    # What hangs on by a thread is none of it.
    return np.asarray(cv2.morphologyEx(grown, cv2.MORPH_OPEN, np.ones((5, 5), np.uint8)) > 0) | sky


def find_sky(rgb: np.ndarray, around: PlaneContext) -> TrimapModel:
    """The sky of a scene.

    Parameters
    ----------
    rgb : ndarray, float32 (h, w, 3)
        Light of the whole scene, reduced to `SIDE`.
    around : PlaneContext

    Returns
    -------
    TrimapModel
        Nothing of it where there is no sky.
    """
    regions = Regions(rgb, around)
    told = regions.of
    joined = np.zeros(regions.count, bool)
    joined[np.unique(regions.names[:2])] = True
    sky = joined & (regions.share > _JOINED) & regions.smooth
    sky[0] = False
    within = regions.share[sky].sum() < _NONE
    if within:
        sky = _from_within(regions, told)
    if not sky.any() or regions.share[sky].sum() < _NONE:
        return TrimapModel.nothing()
    sky |= _like(regions, sky, told)
    inside = _with_glare(_without_rough(regions.mask(sky), regions.slope), told, regions.slope)
    found = told_apart(inside, told)
    if within:
        _with_slits(found, told)
    return found


def _with_slits(found: TrimapModel, told: np.ndarray) -> None:
    """Let pixels tell wherever light is that of a sky seen from a room: panes are parted by bars, ships and masts.

    A room has nothing else so bright of that colour, as the ground outside may have.
    """
    inside = found.sure == 1
    lowest = np.flatnonzero(inside.any(1)).max() + _BELOW * told.shape[0]
    rows = np.arange(told.shape[0])[:, None] <= lowest
    away = told - np.median(told[inside], 0)
    alike = rows & (np.abs(away[..., 0]) < _PANES) & (np.hypot(away[..., 1], away[..., 2]) < _LIKE_AXES)
    alike = cv2.dilate(alike.astype(np.uint8), np.ones((3, 3), np.uint8)) > 0
    found.sure[alike & (found.sure == 0)] = 0.5


def told_apart(inside: np.ndarray, told: np.ndarray) -> TrimapModel:
    """What is known of both sides of an edge, from smooth places within it, bool (h, w)."""
    within = carried_outwards(told, inside)
    kernel = np.ones((2 * _BAND + 1, 2 * _BAND + 1), np.uint8)
    outside = cv2.dilate(inside.astype(np.uint8), kernel) == 0
    without = carried_outwards(told, outside)
    sure = np.where(inside, 1.0, np.where(outside, 0.0, 0.5)).astype(np.float32)
    # Points of light amid it are part of it.
    much = cv2.blur(inside.astype(np.float32), (9, 9)) > 0.6
    sure[(sure == 0.5) & much & (told[..., 0] > within[..., 0] - 0.1)] = 1.0
    return TrimapModel(sure, within, without)


def from_ground(rgb: np.ndarray, around: PlaneContext, ground: np.ndarray) -> TrimapModel:
    """The sky of a scene whose ground is known, float32 (h, w) of 0 to 1 like ``rgb``; see `find_sky`."""
    kernel = np.ones((5, 5), np.uint8)
    inside = cv2.erode((ground < 0.02).astype(np.uint8), kernel) > 0
    return told_apart(inside, appearance_features(rgb, around.floor * UNDER))
