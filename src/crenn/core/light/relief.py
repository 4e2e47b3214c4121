"""Relief: contrast by scale, on luminance, and of colour."""

from collections.abc import Mapping

import cv2
import numpy as np

from crenn.core.colorimetry.stops import shares_of, stops_of
from crenn.core.light.guided import departing, mean_about
from crenn.core.pipeline.planes import MakePlane, Plane, PlaneContext, once_for_light
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

    Edges of more than half a stop stay in the base, so that they get no halo; see `departing`.

    Parameters
    ----------
    rgb : ndarray, float32 (h, w, 3)
    around : PlaneContext
    """
    return departing(stops_of(rgb, around.floor), FINE, _EDGE, around)


def guarded_detail(rgb: np.ndarray, around: PlaneContext) -> np.ndarray:
    """`fine_detail`, where it is more than the noise that is predicted, float32 (h, w).

    The share that is left is Wiener's, by the local energy of the detail and that of the noise; see `fine_detail` for
    the parameters.
    """
    stops = stops_of(rgb, around.floor)
    detail = departing(stops, FINE, _EDGE, around)
    if around.noise is None:
        return detail
    # Averaged to this size, noise is less.
    noise = around.noise(stops) * np.float32(min(around.scale, 1.0))
    energy = mean_about(detail * detail, max(FINE / 100.0 * around.long_side * around.scale, 1.0))
    return np.asarray(detail * np.clip(1 - _GUARD * noise**2 / np.maximum(energy, 1e-12), 0, 1), np.float32)


def _off_stars(make: MakePlane) -> MakePlane:
    """A maker of planes that leaves stars alone: points that stand out from all around them by more than a stop."""

    def made(rgb: np.ndarray, around: PlaneContext) -> np.ndarray:
        stops = stops_of(rgb, around.floor)
        size = 2 * max(round(_STAR / 100.0 * around.long_side * around.scale), 1) + 1
        over = stops - cv2.morphologyEx(stops, cv2.MORPH_OPEN, np.ones((size, size), np.uint8))
        star = np.clip(cv2.dilate(over, np.ones((3, 3), np.uint8)) - 0.5, 0, 1)
        return np.asarray(make(rgb, around) * (1 - star), np.float32)

    return made


@once_for_light
def _colours_told(rgb: np.ndarray, around: PlaneContext) -> tuple[np.ndarray, np.ndarray | None]:
    """`shares_of` light, float32 (3, h, w), and how far they are trusted by the noise there, (h, w), if it is known."""
    stops, shares = shares_of(rgb, around.floor)
    if around.noise is None:
        return shares, None
    noise = around.noise(stops) * np.float32(min(around.scale, 1.0))
    return shares, 1 / (1 + np.float32(_GUARD) * (2 * noise) ** 2)


def colour_detail(channel: int, deviation: float = COLOUR) -> MakePlane:
    """A maker of what a colour's share of the light departs from that of its neighbourhood, in stops.

    Parameters
    ----------
    channel : int
    deviation : float
        Of the neighbourhood, in %.
    """

    def made(rgb: np.ndarray, around: PlaneContext) -> np.ndarray:
        shares, trust = _colours_told(rgb, around)
        detail = departing(shares[channel], deviation, _COLOUR_EDGE, around)
        if trust is not None:
            detail *= trust
        return np.clip(detail, -1.5, 1.5, out=detail)

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
