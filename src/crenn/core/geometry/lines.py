"""Straight lines of a scene: found in its light, and what they say of how the camera was held.

A line of the picture and the camera span a plane; lines that are parallel in the world give planes with one direction
in common, where they seem to meet (Hartley and Zisserman 2004, section 8.6).
"""

from dataclasses import dataclass
from itertools import combinations

import cv2
import numpy as np

from crenn.core.colorimetry.stops import stops_of
from crenn.core.errors import CrennError
from crenn.core.geometry.perspective import USUAL, tipped
from crenn.core.pipeline.picture_geometry import PictureGeometry

#: Lines are looked for on a picture of this longer side, in pixels.
SEARCHED = 1600
#: Shorter ones are left out, in shares of the longer side.
_SHORTEST = 0.025
#: Standing and lying lines lean at most so far, in degrees; seen steeply, farther, if so many times as much agrees.
_LEAN, _STEEP, _MORE = 28.0, 46.0, 1.25
#: A line agrees with a direction that it misses by less than this, in degrees.
_AGREES = 0.35
#: Lines that agree must be at least so long together, in shares of the longer side.
_ENOUGH = 0.6
_PAIRS = 3000


@dataclass(frozen=True)
class Straight:
    """How the camera would have to be turned, in degrees; what the lines do not say is 0."""

    level: float
    vertical: float
    horizontal: float


def find_lines(rgb: np.ndarray, floor: float) -> np.ndarray:
    """Straight edges of a picture, by the line segment detector of von Gioi et al. (2010), on its stops.

    Parameters
    ----------
    rgb : ndarray, float32 (h, w, 3)
        Scene-linear light, reduced to about 1600 pixels.
    floor : float
        Luminance below which noise rules.

    Returns
    -------
    ndarray, float64 (N, 4)
        x and y of both ends, from the picture's middle, in shares of its longer side.
    """
    stops = stops_of(rgb, floor)
    low, high = np.percentile(stops, (1, 99.5))
    codes = np.clip((stops - low) / max(high - low, 1e-3) * 255, 0, 255).astype(np.uint8)
    factor = SEARCHED / max(codes.shape)
    if factor < 1:
        codes = cv2.resize(codes, None, fx=factor, fy=factor, interpolation=cv2.INTER_AREA)
    found = cv2.createLineSegmentDetector(cv2.LSD_REFINE_STD).detect(codes)[0]
    if found is None:
        return np.zeros((0, 4))
    height, width = codes.shape
    # The detector counts from the centre of the first pixel.
    lines = (found.reshape(-1, 4).astype(np.float64) + 0.5 - np.array([width, height] * 2) / 2) / max(codes.shape)
    return lines[np.hypot(lines[:, 2] - lines[:, 0], lines[:, 3] - lines[:, 1]) > _SHORTEST]


def through(lines: np.ndarray, frame: PictureGeometry) -> np.ndarray:
    """Lines of a scene, (N, 4) as `find_lines` gives them, as they lie in the plane of a frame, likewise."""
    height, width = frame.scene
    points = lines.reshape(-1, 2) * frame.long_side + np.array([width, height]) / 2
    there = frame.to_plane(points) - np.array([frame.size[1], frame.size[0]]) / 2
    return there.reshape(-1, 4) / frame.long_side


def _planes(lines: np.ndarray, focal: float) -> np.ndarray:
    """Unit normals, (N, 3), of the planes that lines span with the camera; ``focal`` in longer sides."""
    one, other = (np.concatenate([lines[:, k : k + 2], np.full((len(lines), 1), focal)], 1) for k in (0, 2))
    normals = np.cross(one, other)
    return normals / np.linalg.norm(normals, axis=1, keepdims=True)


def _direction(normals: np.ndarray) -> np.ndarray:
    """The direction that lies best in all planes of normals, (N, 3), each of which counts as its length squared."""
    return np.linalg.svd(normals, full_matrices=False)[2][-1] if len(normals) > 2 else np.cross(*normals)


def _shared(lines: np.ndarray, axis: int, focal: float) -> np.ndarray | None:
    """`_agreed` of lines that lean little, or far where more of those agree."""
    found = [_agreed(_leaning(lines, axis, lean), axis, focal, lean) for lean in (_LEAN, _STEEP)]
    (near, length), (steep, more) = found
    return steep if more > _MORE * length else near


def _agreed(lines: np.ndarray, axis: int, focal: float, lean: float) -> tuple[np.ndarray | None, float]:
    """The direction that most of the lines share, and how long those are together: down for axis 1, to the right for 0.

    None, and nothing, if too few do.
    """
    long = np.hypot(lines[:, 2] - lines[:, 0], lines[:, 3] - lines[:, 1])
    if len(lines) < 2:
        return None, 0.0
    normals = _planes(lines, focal)
    strongest = np.argsort(long)[::-1][:80]
    pairs = list(combinations(strongest, 2))[:_PAIRS]
    found = np.cross(normals[[a for a, _ in pairs]], normals[[b for _, b in pairs]])
    size = np.linalg.norm(found, axis=1)
    found = found[size > 1e-3] / size[size > 1e-3, None]
    found = found[np.abs(found[:, axis]) > np.cos(np.radians(lean))]
    if not len(found):
        return None, 0.0
    limit = np.sin(np.radians(_AGREES))
    # A soft count: lines that agree closely count more than those that barely do.
    misses = np.abs(found @ normals.T)
    score = (long * np.clip(1 - (misses / limit) ** 2, 0, None)).sum(1)
    best = found[int(score.argmax())]
    for _ in range(5):
        close = np.abs(normals @ best) < limit
        if close.sum() < 2:
            return None, 0.0
        # A long line is surer, but one that is not quite straight or misread would rule all others.
        best = _direction(normals[close] * np.sqrt(long[close, None]))
    agreed = float(long[np.abs(normals @ best) < limit].sum())
    if agreed < _ENOUGH:
        return None, 0.0
    return best * np.sign(best[axis]), agreed


def _leaning(lines: np.ndarray, axis: int, lean: float) -> np.ndarray:
    """The lines that stand (axis 1) or lie (axis 0), and lean at most so far."""
    way = np.abs(lines[:, 2:] - lines[:, :2])
    return lines[way[:, 1 - axis] < np.tan(np.radians(lean)) * way[:, axis]]


def _straight(down: np.ndarray | None, right: np.ndarray | None) -> Straight:
    """The turns that make a direction of the scene point straight down, and another straight to the right."""
    if down is None:
        if right is None:
            return Straight(0.0, 0.0, 0.0)
        return Straight(float(-np.degrees(np.arctan2(right[1], right[0]))), 0.0, 0.0)
    level = float(np.degrees(np.arctan2(down[0], down[1])))
    vertical = -float(np.degrees(np.arctan2(down[2], np.hypot(down[0], down[1]))))
    if right is None:
        return Straight(level, vertical, 0.0)
    turn = np.radians(level)
    cos, sin = np.cos(turn), np.sin(turn)
    roll = np.array([[cos, -sin, 0], [sin, cos, 0], [0, 0, 1.0]])
    held = tipped(vertical, 0.0) @ roll @ right
    return Straight(level, vertical, -float(np.degrees(np.arctan2(held[2], held[0]))))


def straighten(lines: np.ndarray, horizontal: bool = False, focal: float = USUAL) -> Straight:
    """How the camera would have to be turned for standing lines to stand.

    Parameters
    ----------
    lines : ndarray, float64 (N, 4)
        As `find_lines` gives them.
    horizontal : bool
        Whether lying lines should lie as well.
    focal : float
        Focal length as before a frame of 36 by 24 mm, in mm.

    Raises
    ------
    CrennError
        If too few lines agree.
    """
    down = _shared(lines, 1, focal / USUAL)
    # Where nothing stands, a horizon still says how the picture lies.
    right = _shared(lines, 0, focal / USUAL) if horizontal or down is None else None
    if down is None and right is None:
        raise CrennError("Too few straight lines of this picture agree.", remedy="Draw lines that should stand.")
    return _straight(down, right)


def straighten_by(lines: np.ndarray, focal: float = USUAL) -> Straight:
    """How the camera would have to be turned for two or four drawn lines to stand and lie; see `straighten`.

    Raises
    ------
    CrennError
        If a line has no length, two lines are one, or lines that should be parallel meet within the picture.
    """
    if (np.hypot(lines[:, 2] - lines[:, 0], lines[:, 3] - lines[:, 1]) < 1e-3).any():
        raise CrennError("A line needs two places.", remedy="Draw it longer.")
    found: list[np.ndarray | None] = []
    across, along = np.abs(lines[:, 2:] - lines[:, :2]).T
    for axis, own in ((1, lines[along >= across]), (0, lines[along < across])):
        if len(own) < 2:
            found.append(None)
            continue
        planes = _planes(own, focal / USUAL)
        way = np.cross(*planes[:2]) if len(own) == 2 else _direction(planes)
        size = np.linalg.norm(way)
        if size < 2e-3:
            raise CrennError("Two lines are one and the same.", remedy="Draw them apart.")
        way = way / size
        if abs(way[axis]) < np.cos(np.radians(60.0)):
            raise CrennError(
                "These lines meet within the picture.", remedy="Draw lines that are parallel in the scene."
            )
        found.append(way * np.sign(way[axis]))
    if all(one is None for one in found):
        raise CrennError("One line does not say how the camera was held.", remedy="Draw a second one.")
    return _straight(found[0], found[1])
