"""Relief: contrast by scale, on luminance, and of colour."""

from collections.abc import Mapping

import cv2
import numpy as np

from crenn.core.colorimetry.spaces import luminance
from crenn.core.pipeline.planes import LATTICE, MakePlane, Plane, PlaneContext
from crenn.core.pipeline.program import Program
from crenn.core.pipeline.scene import SceneLight
from crenn.core.pipeline.step import Bend, LightStep, StepParameters, dial, toggle

#: Deviation of the neighbourhood of fine relief, in % of the picture's longer side.
FINE = 0.15
#: Reach of the bases of medium and broad relief, in %.
MEDIUM, BROAD = 2.5, 9.0
#: Deviations of the neighbourhoods of colour, the nearer first, and radius of the largest star, in %.
COLOUR_FINE, COLOUR, COLOUR_BROAD, _STAR = 0.12, 0.4, 1.6, 0.1
#: How many times the energy of predicted noise counts.
_GUARD = 2.0
_BANDS = ("fine", "medium", "broad", "colour_fine", "colour", "colour_broad")
#: Contrast, in stops, from which an edge is kept in the bases of fine relief and of colour.
_EDGE, _COLOUR_EDGE = 0.5, 0.25
#: Below this deviation, in pixels, nothing of it can be seen.
_LEAST = 0.3


class ReliefParameters(StepParameters):
    fine: float = dial(
        1.0,
        "×",
        0.0,
        3.0,
        0.01,
        "Fine",
        "Stretches or evens texture: what is smaller than a six hundredth of the picture.",
        bend=Bend("factor", 0.0, 3.0, 0.01),
    )
    medium: float = dial(
        1.0,
        "×",
        0.0,
        2.5,
        0.01,
        "Medium",
        "Stretches or evens forms: what is larger than texture and departs from a fortieth of the picture.",
        bend=Bend("factor", 0.0, 2.5, 0.01),
    )
    broad: float = dial(
        1.0,
        "×",
        0.3,
        2.0,
        0.01,
        "Broad",
        "Stretches or evens wide shapes: what is larger than forms and departs from a tenth of the picture.",
        bend=Bend("factor", 0.3, 2.0, 0.01),
    )
    colour_fine: float = dial(
        1.0,
        "×",
        0.0,
        2.5,
        0.01,
        "Colour, fine",
        "Stretches or evens differences of colour between a place and its nearest neighbourhood.",
        bend=Bend("factor", 0.0, 2.5, 0.01),
        usual=False,
    )
    colour: float = dial(
        1.0,
        "×",
        0.0,
        2.5,
        0.01,
        "Colour",
        "Stretches or evens differences of colour between a place and its neighbourhood.",
        bend=Bend("factor", 0.0, 2.5, 0.01),
        usual=False,
    )
    colour_broad: float = dial(
        1.0,
        "×",
        0.0,
        2.5,
        0.01,
        "Colour, broad",
        "Stretches or evens differences of colour between wide shapes.",
        bend=Bend("factor", 0.0, 2.5, 0.01),
        usual=False,
    )
    stars: bool = toggle(
        False,
        "Leave stars alone",
        "Fine relief is not stretched where points of light are.",
        usual=False,
    )


def fine_detail(rgb: np.ndarray, around: PlaneContext) -> np.ndarray:
    """What departs from its near neighbourhood, in stops, float32 (h, w).

    The base is a guided filter's (He, Sun and Tang 2013) over the stop, with Gaussian windows, at a reduced size where
    they are wide (He and Sun 2015): edges of more than half a stop stay in it, so that they get no halo.

    Parameters
    ----------
    rgb : ndarray, float32 (h, w, 3)
    around : PlaneContext
    """
    stops = np.log2(np.maximum(luminance(rgb), np.float32(around.floor))).astype(np.float32)
    return departing(stops, FINE, _EDGE, around)


def departing(stops: np.ndarray, deviation: float, edge: float, around: PlaneContext) -> np.ndarray:
    """What stops depart by from their guided base with windows of a deviation in %, float32 like them.

    Contrast of more than ``edge`` stays in the base.
    """
    sigma = deviation / 100.0 * around.long_side * around.scale
    if sigma < _LEAST:
        return np.zeros_like(stops)
    factor = int(np.clip(2 ** np.floor(np.log2(max(sigma / 2.5, 1.0))), 1, LATTICE))
    height, width = stops.shape
    # Whole cells: the edge is repeated to the next.
    padded = cv2.copyMakeBorder(stops, 0, -height % factor, 0, -width % factor, cv2.BORDER_REPLICATE)
    small = reduced(padded, factor)
    mean = blurred(small, sigma / factor)
    variance = np.maximum(blurred(reduced(padded * padded, factor), sigma / factor) - mean * mean, 0)
    slope = variance / (variance + np.float32(edge**2))
    a = blurred(slope, sigma / factor)
    b = blurred(mean - slope * mean, sigma / factor)
    if factor > 1:
        size = (padded.shape[1], padded.shape[0])
        a, b = (cv2.resize(v, size, interpolation=cv2.INTER_LINEAR) for v in (a, b))
    return stops - (a[:height, :width] * stops + b[:height, :width])


def reduced(stops: np.ndarray, factor: int) -> np.ndarray:
    """Means of blocks of a factor each way, float32 (h / factor, w / factor) of (h, w)."""
    if factor == 1:
        return stops
    height, width = stops.shape
    return cv2.resize(stops, (width // factor, height // factor), interpolation=cv2.INTER_AREA)


def blurred(values: np.ndarray, sigma: float) -> np.ndarray:
    half = max(int(np.ceil(3 * sigma)), 1)
    taps = cv2.getGaussianKernel(2 * half + 1, sigma, cv2.CV_32F)
    return cv2.sepFilter2D(values, cv2.CV_32F, taps, taps, borderType=cv2.BORDER_REPLICATE)


def guarded_detail(rgb: np.ndarray, around: PlaneContext) -> np.ndarray:
    """`fine_detail`, where it is more than the noise that is predicted, float32 (h, w).

    The share that is left is Wiener's, by the local energy of the detail and that of the noise; see `fine_detail` for
    the parameters.
    """
    detail = fine_detail(rgb, around)
    if around.noise is None:
        return detail
    stops = np.log2(np.maximum(luminance(rgb), np.float32(around.floor)))
    # Averaged to this size, noise is less.
    noise = around.noise(stops).astype(np.float32) * np.float32(min(around.scale, 1.0))
    energy = blurred(detail * detail, max(FINE / 100.0 * around.long_side * around.scale, 1.0))
    return np.asarray(detail * np.clip(1 - _GUARD * noise**2 / np.maximum(energy, 1e-12), 0, 1), np.float32)


def _off_stars(make: MakePlane) -> MakePlane:
    """A maker of planes that leaves stars alone: points that stand out from all around them by more than a stop."""

    def made(rgb: np.ndarray, around: PlaneContext) -> np.ndarray:
        stops = np.log2(np.maximum(luminance(rgb), np.float32(around.floor))).astype(np.float32)
        size = 2 * max(round(_STAR / 100.0 * around.long_side * around.scale), 1) + 1
        over = stops - cv2.morphologyEx(stops, cv2.MORPH_OPEN, np.ones((size, size), np.uint8))
        star = np.clip(cv2.dilate(over, np.ones((3, 3), np.uint8)) - 0.5, 0, 1)
        return np.asarray(make(rgb, around) * (1 - star), np.float32)

    return made


def colour_detail(channel: int, deviation: float = COLOUR) -> MakePlane:
    """A maker of what a colour's share of the light departs from that of its neighbourhood, in stops.

    Parameters
    ----------
    channel : int
    deviation : float
        Of the neighbourhood, in %.
    """

    def made(rgb: np.ndarray, around: PlaneContext) -> np.ndarray:
        light = np.maximum(luminance(rgb), np.float32(around.floor))
        # A colour that is not there has no share; half a hundredth of the light is as little as counts.
        share = np.log2(np.maximum(rgb[..., channel], 0.005 * light) / light).astype(np.float32)
        detail = departing(share, deviation, _COLOUR_EDGE, around)
        if around.noise is not None:
            noise = around.noise(np.log2(light)).astype(np.float32) * np.float32(min(around.scale, 1.0))
            detail = detail / (1 + _GUARD * (2 * noise) ** 2)
        return np.asarray(np.clip(detail, -1.5, 1.5), np.float32)

    return made


_DETAIL = Plane("relief.fine", (), 7 * FINE, fine_detail)
_GUARDED = Plane("relief.guarded", (), 8 * FINE, guarded_detail)
_OFF_STARS = Plane("relief.off stars", (), 8 * FINE + 2 * _STAR, _off_stars(guarded_detail))


def _colours(deviation: float) -> tuple[Plane, Plane, Plane]:
    red, green, blue = (
        Plane(f"relief.{name}", (deviation,), 7 * deviation, colour_detail(n, deviation))
        for n, name in enumerate(("red", "green", "blue"))
    )
    return red, green, blue


_COLOURS = {"colour_fine": _colours(COLOUR_FINE), "colour": _colours(COLOUR), "colour_broad": _colours(COLOUR_BROAD)}


class Relief(LightStep[ReliefParameters]):
    """Stretches or evens three bands of scale: fine from around each place, medium and broad from the whole."""

    name, station, title, parameters = "relief", "light", "Relief", ReliefParameters
    folded = True

    def act(self, program: Program, parameters: ReliefParameters, scene: SceneLight) -> None:
        p = parameters
        self._write(program, {name: getattr(p, name) - 1.0 for name in _BANDS}, p.stars)

    def bend(
        self, program: Program, bends: Mapping[str, float], parameters: ReliefParameters, scene: SceneLight
    ) -> None:
        more = {name: getattr(parameters, name) * (bends.get(name, 1.0) - 1.0) for name in _BANDS}
        self._write(program, more, parameters.stars)

    @staticmethod
    def _write(program: Program, by: Mapping[str, float], stars: bool) -> None:
        fine, medium, broad = by["fine"], by["medium"], by["broad"]
        # What is stretched must not be noise; what is evened may well be.
        stretched = _OFF_STARS if stars else _GUARDED
        program.add(stretched if fine > 0 else _DETAIL, fine)
        # Medium is what departs from its base and is not fine, broad what departs from its own and is not medium.
        program.add(_DETAIL, -medium)
        program.grid(MEDIUM, None, medium - broad)
        program.grid(BROAD, None, broad)
        for name, planes in _COLOURS.items():
            program.tint(planes, by[name])
