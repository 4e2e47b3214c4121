"""Dust on the sensor: small soft shadows in even places.

A grain on the filter before the sensor shades a round spot whose edge is soft by the cone of light (Dirik, Sencar and
Memon 2008, "Digital single lens reflex camera identification from traces of sensor dust"). Looked for are places that
are darker than the plane through their surroundings, alike on all sides, where those surroundings are even.
"""

from dataclasses import dataclass

import cv2
import numpy as np

from crenn.core.colorimetry.spaces import luminance

#: Longer side at which it is looked for, in pixels, and radii in shares of it.
SIDE = 1800
_RADII = np.geomspace(0.0025, 0.011, 5)
#: EV that a spot must be darker by at least, and at most: what is darker is a thing.
_LEAST, _MOST = 0.03, 1.2
#: A spot is so many times as dark as parts of its ring are uneven, and its quarters at least so much of it each.
_TIMES, _ROUND = 4.5, 0.55
#: No part of the ring is darker by more than this share of the spot.
_BESIDE = 0.45
_SECTORS = 12
#: Unevenness is told from so many radii around.
_WIDE = 4.0
#: A patch reaches so many radii beyond the middle: the soft edge is within.
REACH = 1.45


@dataclass(frozen=True)
class Dust:
    """A spot that is likely dust: its middle and radius in shares of the scene's longer side, and EV by which it is
    darker."""

    x: float
    y: float
    radius: float
    depth: float


def find_dust(light: np.ndarray, floor: float, most: int = 200) -> list[Dust]:
    """Spots that are likely dust, the darkest for its surroundings first.

    Parameters
    ----------
    light : ndarray, float32 (h, w, 3)
        The scene, its longer side about `SIDE` pixels or less.
    floor : float
        Luminance below which noise rules: what is darker is not looked at.
    most : int
        So many at most.

    Returns
    -------
    list of Dust
    """
    long_side = max(light.shape[:2])
    luminous = luminance(light)
    stops = np.log2(np.maximum(luminous, np.float32(max(floor, 1e-9)))).astype(np.float32)
    found: list[tuple[float, Dust]] = []
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
            told = _told(stops, int(row), int(column), float(radius))
            if told is not None:
                depth, clear = told
                unit = 1.0 / long_side
                found.append((clear, Dust((column + 0.5) * unit, (row + 0.5) * unit, float(radius) * unit, depth)))
    found.sort(key=lambda one: -one[0])
    out: list[Dust] = []
    for _, one in found:
        # The same spot stands out at several radii: the clearest tells.
        if all(np.hypot(one.x - o.x, one.y - o.y) > max(one.radius, o.radius) for o in out):
            out.append(one)
    return out[:most]


def _told(stops: np.ndarray, row: int, column: int, radius: float) -> tuple[float, float] | None:
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
    if depth < _TIMES * uneven or min(quarters) < _ROUND * depth or means.min() < -_BESIDE * depth:
        return None
    return depth, depth / uneven
