"""Contrast with its toe and shoulder, on luminance, so that hue and saturation stay."""

from collections.abc import Mapping
from typing import Any

import numpy as np

from crenn.core.colorimetry.spaces import MIDDLE_GREY
from crenn.core.light.automatic import automatic_light
from crenn.core.pipeline.instructions import table_stops
from crenn.core.pipeline.program import Program
from crenn.core.pipeline.scene import SceneLight
from crenn.core.pipeline.step import Bend, LightStep, StepParameters, dial

#: Stops below and above middle grey over which toe and shoulder take hold.
_TOE_SPAN, _SHOULDER_SPAN = 4.0, 2.5
#: Tones, in EV below white, at which contrast is that of darks, middles and lights; between them it goes over.
_APART = (-6.5, -3.5, -1.0)
_PARTS = ("darks", "middles", "lights")


def _part(title: str, which: str) -> Any:
    return dial(
        1.0,
        "×",
        0.4,
        2.5,
        0.01,
        title,
        f"Steepness of the {which} tones alone.",
        bend=Bend("factor", 0.4, 2.5, 0.01),
        usual=False,
    )


class ToneParameters(StepParameters):
    contrast: float | None = dial(
        None,
        "×",
        0.4,
        2.5,
        0.01,
        "Contrast",
        "Steepness of all tones about one that stays.",
        bend=Bend("factor", 0.4, 2.5, 0.01),
    )
    pivot: float = dial(
        MIDDLE_GREY,
        "EV",
        -9,
        0,
        0.05,
        "About",
        "The tone that stays, in EV below white: darker ones get darker, brighter ones brighter.",
        bend=Bend("add", -6, 6, 0.05),
        usual=False,
    )
    darks: float = _part("Of darks", "dark")
    middles: float = _part("Of middle tones", "middle")
    lights: float = _part("Of lights", "bright")
    toe: float = dial(0.0, "%", 0, 100, 1, "Toe", "Flattens the curve in the shadows.", usual=False)
    shoulder: float = dial(0.0, "%", 0, 100, 1, "Shoulder", "Flattens the curve in the highlights.", usual=False)


def tone_ev(
    stops: np.ndarray,
    contrast: float,
    toe: float = 0.0,
    shoulder: float = 0.0,
    pivot: float = MIDDLE_GREY,
    parts: tuple[float, float, float] = (1.0, 1.0, 1.0),
) -> np.ndarray:
    """EV that the curve adds at stops relative to white; nothing at the tone that stays.

    Parameters
    ----------
    stops : ndarray (N,)
    contrast : float
    toe, shoulder : float
        In %.
    pivot : float
        The tone that stays, EV relative to white.
    parts : tuple of float
        Factors on the contrast of darks, middle tones and lights.
    """
    grid = table_stops()
    below = np.clip((MIDDLE_GREY - grid) / _TOE_SPAN, 0, 1)
    above = np.clip((grid - MIDDLE_GREY) / _SHOULDER_SPAN, 0, 1)
    slope = contrast * (1 - 0.85 * toe / 100 * below) * (1 - 0.85 * shoulder / 100 * above)
    if parts != (1.0, 1.0, 1.0):
        slope = slope * np.interp(grid, _APART, parts)
    curve = np.concatenate([[0.0], np.cumsum((slope[1:] + slope[:-1]) / 2 * np.diff(grid))])
    curve += pivot - np.interp(pivot, grid, curve)
    return np.interp(stops, grid, curve - grid)


class Tone(LightStep[ToneParameters]):
    """A curve on luminance."""

    name, station, title, parameters = "tone", "light", "Contrast", ToneParameters

    def automatic(self, scene: SceneLight) -> dict[str, float]:
        return {"contrast": automatic_light(scene).contrast}

    def act(self, program: Program, parameters: ToneParameters, scene: SceneLight) -> None:
        p = parameters
        assert p.contrast is not None, "it is resolved"
        contrast, parts = p.contrast, (p.darks, p.middles, p.lights)
        if contrast != 1.0 or p.toe or p.shoulder or parts != (1.0, 1.0, 1.0):
            program.curve(lambda stops: tone_ev(stops, contrast, p.toe, p.shoulder, p.pivot, parts))

    def bend(self, program: Program, bends: Mapping[str, float], parameters: ToneParameters, scene: SceneLight) -> None:
        contrast = bends.get("contrast", 1.0)
        darks, middles, lights = (bends.get(name, 1.0) for name in _PARTS)
        pivot = parameters.pivot + bends.get("pivot", 0.0)
        parts = darks, middles, lights
        if contrast != 1.0 or parts != (1.0, 1.0, 1.0):
            program.curve(lambda stops: tone_ev(stops, contrast, pivot=pivot, parts=parts))
