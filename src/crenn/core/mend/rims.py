"""Fringes at rims: the purple or green that lenses leave on the dark side of an edge of much contrast.

A fringe is colour that neither side of the rim has: what exceeds the colour of both, the bright thing's within reach
and the ground's beyond it, is taken back to the nearer of them. A lamp's own purple, and that of a wall beside it, is
the colour of a side, and stays.
"""

from collections.abc import Callable, Mapping
from functools import lru_cache

import cv2
import numpy as np

from crenn.core.colorimetry.spaces import luminance
from crenn.core.pipeline.planes import Plane, PlaneContext, once_for_light
from crenn.core.pipeline.program import Program
from crenn.core.pipeline.scene import SceneLight
from crenn.core.pipeline.step import Bend, LightStep, StepParameters, dial

#: Stops by which something within reach must be brighter: from where on a place counts as beside a rim, and fully.
_BEGINS, _FULL = 1.0, 2.5
#: Fringes narrower than this, in pixels of the view, cannot be seen.
_LEAST = 0.6
#: Colours closer than this to one of the sides', in EV, and than so many deviations of the noise, are that side's.
_NEAR, _NOISE = 0.08, 1.5
#: Excess counts as of the picked colour fully, and no more, from where its direction's cosine to that one's is so much.
_ALIKE, _APART = 0.9, 0.7
#: What is taken back at most, in EV.
_MOST = 4.0


class RimsParameters(StepParameters):
    purple: float = dial(
        0.0,
        "%",
        0,
        100,
        1,
        "Purple fringes",
        "Takes back red and blue on the dark side of rims that neither side has.",
        bend=Bend("add", -100, 100, 1),
    )
    green: float = dial(
        0.0,
        "%",
        0,
        100,
        1,
        "Green fringes",
        "Takes back green on the dark side of rims that neither side has.",
        bend=Bend("add", -100, 100, 1),
    )
    picked: float = dial(
        0.0,
        "%",
        0,
        100,
        1,
        "Picked colour",
        "Takes back the fringe colour that was picked on the picture, on the dark side of rims.",
        usual=False,
        bend=Bend("add", -100, 100, 1),
    )
    direction: float = dial(
        45.0,
        "°",
        -180,
        180,
        1,
        "Colour of the fringe",
        "Which colour was picked: 0 is too much red, 90 too much blue, 45 both (purple), -135 neither (green).",
        usual=False,
    )
    radius: float = dial(
        4.0, "px", 1, 40, 0.5, "Reach", "How far fringes reach from the rim, in full-size pixels.", usual=False
    )


def excess(rgb: np.ndarray, around: PlaneContext, radius: float) -> np.ndarray:
    """By how many EV red and blue, over green, exceed both sides of a rim, or fall short of both; float32 (h, w, 2).

    Parameters
    ----------
    rgb : ndarray, float32 (h, w, 3)
    around : PlaneContext
    radius : float
        In full-size pixels.
    """
    reach = radius * around.scale
    out = np.zeros((*rgb.shape[:2], 2), np.float32)
    if reach < _LEAST:
        return out
    light = np.maximum(luminance(rgb), np.float32(around.floor))
    side = 2 * int(np.ceil(reach)) + 1
    disc = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (side, side))
    brighter = np.log2(cv2.dilate(light, disc) / light)
    if not (brighter > _BEGINS).any():
        return out
    beside = np.clip((brighter - _BEGINS) / (_FULL - _BEGINS), 0, 1)
    least = np.float32(0.02) * light
    green = np.maximum(rgb[..., 1], least)
    # What is beyond: not beside a rim itself.
    beyond = (brighter < _BEGINS).astype(np.float32)
    glowing = light * light
    for k, channel in enumerate((0, 2)):
        own = np.log2(np.maximum(rgb[..., channel], least) / green).astype(np.float32)
        of_thing = _mean(own, glowing, reach)
        of_ground = _mean(own, beyond / light, 2 * reach, of_thing)
        spare = np.full(light.shape, _NEAR, np.float32)
        if around.noise is not None:
            spare += np.float32(_NOISE * min(around.scale, 1.0)) * around.noise(np.log2(light))
        over = np.maximum(own - np.maximum(of_thing, of_ground) - spare, 0)
        under = np.minimum(own - np.minimum(of_thing, of_ground) + spare, 0)
        out[..., k] = np.clip((over + under) * beside, -_MOST, _MOST)
    return out


def _mean(values: np.ndarray, weights: np.ndarray, sigma: float, instead: np.ndarray | None = None) -> np.ndarray:
    """Weighted means about each place; ``instead`` where nothing counts there."""
    sums, count = (cv2.GaussianBlur(v, (0, 0), sigma) for v in (values * weights, weights))
    found = sums / np.maximum(count, 1e-20)
    if instead is None:
        return np.asarray(found, np.float32)
    share = np.clip(cv2.GaussianBlur((weights > 0).astype(np.float32), (0, 0), sigma) * 20, 0, 1)
    return np.asarray(share * found + (1 - share) * instead, np.float32)


@lru_cache(8)
def _found(radius: float) -> Callable[[np.ndarray, PlaneContext], np.ndarray]:
    """`excess`, which the planes of purple and of green fringes share."""
    return once_for_light(lambda rgb, around: excess(rgb, around, radius))


def _purple(red_blue: np.ndarray) -> np.ndarray:
    """Of too much red and blue, or of blue alone."""
    return np.maximum(red_blue, 0)


def _green(red_blue: np.ndarray) -> np.ndarray:
    """Of too little of both."""
    least = np.maximum(red_blue[..., 0], red_blue[..., 1])
    return np.where(least[..., None] < 0, np.minimum(red_blue, 0), np.float32(0))


@lru_cache(16)
def _picked(direction: float) -> Callable[[np.ndarray], np.ndarray]:
    """Of excess that points where the picked colour's does."""
    way = np.array([np.cos(np.radians(direction)), np.sin(np.radians(direction))], np.float32)

    def of(red_blue: np.ndarray) -> np.ndarray:
        along = red_blue @ way
        alike = along / np.maximum(np.hypot(red_blue[..., 0], red_blue[..., 1]), 1e-6)
        return red_blue * np.clip((alike - _APART) / (_ALIKE - _APART), 0, 1)[..., None]

    return of


@lru_cache(16)
def _planes(radius: float, name: str, part: Callable[[np.ndarray], np.ndarray]) -> tuple[Plane, Plane, Plane]:
    """EV to be taken from red, green and blue, of the part of what exceeds that has a colour."""
    found = _found(radius)

    def of(k: int) -> Callable[[np.ndarray, PlaneContext], np.ndarray]:
        return lambda rgb, around: np.ascontiguousarray(part(found(rgb, around))[..., k], np.float32)

    def nothing(rgb: np.ndarray, _: PlaneContext) -> np.ndarray:
        return np.zeros(rgb.shape[:2], np.float32)

    margin = int(np.ceil(8 * radius)) + 2
    red, blue = (Plane(f"rims.{name} {k}", (radius,), 0.0, of(k), margin) for k in (0, 1))
    return red, Plane("rims.nothing", (), 0.0, nothing), blue


class Rims(LightStep[RimsParameters]):
    """Takes fringes back by planes of red and blue over green; luminance stays."""

    name, station, title, parameters = "rims", "mend", "Fringes", RimsParameters

    def act(self, program: Program, parameters: RimsParameters, scene: SceneLight) -> None:
        for planes, amount in _amounts(parameters):
            program.tint(planes, -amount / 100)

    def bend(self, program: Program, bends: Mapping[str, float], parameters: RimsParameters, scene: SceneLight) -> None:
        bent = _amounts(self.bent(parameters, bends))
        for (planes, own), (_, amount) in zip(_amounts(parameters), bent, strict=True):
            program.tint(planes, -(amount - own) / 100)


RIMS = Rims()


def _amounts(parameters: RimsParameters) -> list[tuple[tuple[Plane, Plane, Plane], float]]:
    """Planes of each colour of fringes, and how much of them is taken, in %."""
    radius, direction = parameters.radius, parameters.direction
    return [
        (_planes(radius, "purple", _purple), parameters.purple),
        (_planes(radius, "green", _green), parameters.green),
        (_planes(radius, f"picked {direction:g}", _picked(direction)), parameters.picked),
    ]


def direction_of(red_blue: np.ndarray) -> float | None:
    """The direction of the strongest fringe among excess, float32 (h, w, 2), in degrees; None if there is none."""
    strength = np.hypot(red_blue[..., 0], red_blue[..., 1])
    if not (strength > _NEAR).any():
        return None
    weights = np.where(strength > 0.5 * strength.max(), strength, 0.0)
    red, blue = ((red_blue[..., k] * weights).sum() for k in (0, 1))
    return float(np.degrees(np.arctan2(blue, red)))
