"""Dust on the sensor: small soft shadows in even places.

A grain on the filter before the sensor shades a round spot whose edge is soft by the cone of light (Dirik, Sencar and
Memon 2008, "Digital single lens reflex camera identification from traces of sensor dust"). Looked for are places that
are darker than the plane through their surroundings, alike on all sides, where those surroundings are even.
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace

import cv2
import numpy as np

from crenn.core.colorimetry.spaces import luminance

#: Longer side at which it is looked for, in pixels, and radii in shares of it.
SIDE = 1800
_RADII = np.geomspace(0.0025, 0.011, 5)
#: EV that a spot must be darker by at least, and at most: what is darker is a thing.
_LEAST, _MOST = 0.03, 1.2
#: A spot is so many times as dark as parts of its ring are uneven; one that other scenes may have too, at least so many
#: times; its quarters are at least so much of it each.
CLEAR, FAINT, _ROUND = 4.5, 2.2, 0.55
#: A spot that no other scene shows is so clear at least, one that some do so clear together: the root of the sum of
#: squares. It lies within this share of its radius there, and radius and depth differ by no more than so many EV.
_ALONE, _TOGETHER, _NEAR, _ALIKE = 6.0, 5.3, 0.7, 1.4
#: No part of the ring is darker by more than this share of the spot.
_BESIDE = 0.45
_SECTORS = 12
#: Unevenness is told from so many radii around.
_WIDE = 4.0
#: A patch reaches so many radii beyond the middle: the soft edge is within.
REACH = 1.45


@dataclass(frozen=True)
class Dust:
    """A spot that is likely dust.

    Attributes
    ----------
    x, y, radius : float
        Its middle and radius in shares of the scene's longer side.
    depth : float
        EV by which it is darker.
    clear : float
        How many times its surroundings' unevenness that is.
    """

    x: float
    y: float
    radius: float
    depth: float
    clear: float


def find_dust(light: np.ndarray, floor: float, most: int = 200, least: float = CLEAR) -> list[Dust]:
    """Spots that are likely dust, the darkest for its surroundings first.

    Parameters
    ----------
    light : ndarray, float32 (h, w, 3)
        The scene, its longer side about `SIDE` pixels or less.
    floor : float
        Luminance below which noise rules: what is darker is not looked at.
    most : int
        So many at most.
    least : float
        What is less clear is left out.

    Returns
    -------
    list of Dust
    """
    long_side = max(light.shape[:2])
    luminous = luminance(light)
    stops = np.log2(np.maximum(luminous, np.float32(max(floor, 1e-9)))).astype(np.float32)
    found: list[Dust] = []
    for radius in _RADII * long_side:
        blurred = [cv2.GaussianBlur(stops, (0, 0), sigma * radius) for sigma in (0.5, 1.6)]
        response = blurred[1] - blurred[0]
        side = 2 * int(np.ceil(radius)) + 1
        usual = np.sqrt(cv2.GaussianBlur(response * response, (0, 0), 2.5 * radius))
        peaks = (response == cv2.dilate(response, np.ones((side, side)))) & (response > 0.4 * _LEAST)
        # What is usual around is texture; the spot itself is part of what is counted.
        peaks &= response > 1.3 * usual
        rows, columns = np.nonzero(peaks & (luminous > floor))
        order = np.argsort(-response[rows, columns])[: 6 * most]
        for row, column in zip(rows[order], columns[order]):
            told = _told(stops, int(row), int(column), float(radius), least)
            if told is not None:
                depth, clear = told
                unit = 1.0 / long_side
                found.append(Dust((column + 0.5) * unit, (row + 0.5) * unit, float(radius) * unit, depth, clear))
    found.sort(key=lambda one: -one.clear)
    return _each_once(found)[:most]


def agreed(own: list[Dust], others: Sequence[list[Dust]]) -> list[Dust]:
    """Spots of a scene that are dust by what other scenes on the same sensor show there, the clearest first.

    Parameters
    ----------
    own : list of Dust
        Of `find_dust` down to `FAINT`.
    others : sequence of list of Dust
        The same of each other scene, where they lie on this one.

    Returns
    -------
    list of Dust
        What is sure in this scene alone, what is clear in several taken together, and what is so in those others where
        this scene shows it too weakly to be found.
    """
    tables = [_table(spots) for spots in (own, *others)]
    found: list[Dust] = []
    for number, spots in enumerate((own, *others)):
        for spot in spots:
            same = [_same(spot, table) for k, table in enumerate(tables) if k != number]
            same = [clear for clear in same if clear > 0]
            together = float(np.sqrt(spot.clear**2 + sum(clear**2 for clear in same)))
            if (number == 0 and spot.clear >= _ALONE) or (same and together >= _TOGETHER):
                found.append(replace(spot, clear=together))
    found.sort(key=lambda one: -one.clear)
    return _each_once(found)


def _table(spots: list[Dust]) -> np.ndarray:
    return np.array([(d.x, d.y, d.radius, d.depth, d.clear) for d in spots], np.float64).reshape(-1, 5)


def _same(spot: Dust, table: np.ndarray) -> float:
    """How clear the same spot is in another scene; 0 if it is not there."""
    x, y, radius, depth, clear = table.T
    there = np.hypot(x - spot.x, y - spot.y) < _NEAR * np.maximum(radius, spot.radius)
    there &= np.abs(np.log2(radius / spot.radius)) < _ALIKE
    there &= np.abs(np.log2(depth / spot.depth)) < _ALIKE
    return float(clear[there].max()) if there.any() else 0.0


def _each_once(found: list[Dust]) -> list[Dust]:
    """Spots without those that lie on one before them: the same one stands out at several radii, the clearest tells."""
    out: list[Dust] = []
    for one in found:
        if all(np.hypot(one.x - o.x, one.y - o.y) > max(one.radius, o.radius) for o in out):
            out.append(one)
    return out


def _told(stops: np.ndarray, row: int, column: int, radius: float, least: float) -> tuple[float, float] | None:
    """By how many EV a spot is darker, and how many times its ring's unevenness that is; None if it is no dust."""
    reach = int(np.ceil(_WIDE * radius)) + 1
    top, left, bottom, right = row - reach, column - reach, row + reach + 1, column + reach + 1
    inner = np.s_[
        max(-top, 0) : stops.shape[0] - top if bottom > stops.shape[0] else None,
        max(-left, 0) : stops.shape[1] - left if right > stops.shape[1] else None,
    ]
    part = stops[max(top, 0) : bottom, max(left, 0) : right]
    y, x = (v[inner] for v in np.mgrid[-reach : reach + 1, -reach : reach + 1].astype(np.float32))
    away = np.hypot(x, y) / np.float32(radius)
    ring, inside = (away > 1.5) & (away < 2.6), away < 0.7
    sector = ((np.arctan2(y, x) + np.pi) / (2 * np.pi) * _SECTORS).astype(int) % _SECTORS
    held = np.bincount(sector[ring], minlength=_SECTORS)
    if held.min() < 2:
        return None
    plane = np.stack([np.ones(int(ring.sum()), np.float32), x[ring], y[ring]], 1)
    fitted, *_ = np.linalg.lstsq(plane, part[ring], rcond=None)
    left_over = part - (fitted[0] + fitted[1] * x + fitted[2] * y)
    depth = -float(left_over[inside].mean())
    if not _LEAST <= depth <= _MOST:
        return None
    means = np.bincount(sector[ring], left_over[ring], _SECTORS) / held
    # Spots as large as this one that are there by chance are so deep.
    evened = cv2.GaussianBlur(left_over, (0, 0), 0.35 * radius)
    around = (away > 1.5) & (away < _WIDE)
    uneven = max(float(np.sqrt(np.mean(evened[around] ** 2))), float(means.std())) + 0.1 * _LEAST
    quarters = [-float(left_over[inside & (sector // 3 == k)].mean()) for k in range(4)]
    if depth < least * uneven or min(quarters) < _ROUND * depth or means.min() < -_BESIDE * depth:
        return None
    return depth, depth / uneven
