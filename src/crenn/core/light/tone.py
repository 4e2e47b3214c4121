"""Contrast with its toe and shoulder, on luminance, so that hue and saturation stay."""

from collections.abc import Mapping

import numpy as np

from crenn.core.colorimetry.spaces import MIDDLE_GREY
from crenn.core.light.automatic import automatic_light
from crenn.core.pipeline.instructions import table_stops
from crenn.core.pipeline.program import Program
from crenn.core.pipeline.scene import SceneLight
from crenn.core.pipeline.step import Bend, LightStep, StepParameters, dial

#: Stops below and above middle grey over which toe and shoulder take hold.
_TOE_SPAN, _SHOULDER_SPAN = 4.0, 2.5


class ToneParameters(StepParameters):
    contrast: float | None = dial(
        None,
        "×",
        0.4,
        2.5,
        0.01,
        "Contrast",
        "Steepness of the middle tones.",
        bend=Bend("factor", 0.4, 2.5, 0.01),
    )
    toe: float = dial(
        0.0,
        "%",
        0,
        100,
        1,
        "Toe",
        "Flattens the curve in the shadows.",
        usual=False,
    )
    shoulder: float = dial(
        0.0,
        "%",
        0,
        100,
        1,
        "Shoulder",
        "Flattens the curve in the highlights.",
        usual=False,
    )


def tone_ev(stops: np.ndarray, contrast: float, toe: float, shoulder: float) -> np.ndarray:
    """EV that the curve adds at stops relative to white; nothing at middle grey."""
    grid = table_stops()
    below = np.clip((MIDDLE_GREY - grid) / _TOE_SPAN, 0, 1)
    above = np.clip((grid - MIDDLE_GREY) / _SHOULDER_SPAN, 0, 1)
    slope = contrast * (1 - 0.85 * toe / 100 * below) * (1 - 0.85 * shoulder / 100 * above)
    curve = np.concatenate([[0.0], np.cumsum((slope[1:] + slope[:-1]) / 2 * np.diff(grid))])
    curve += MIDDLE_GREY - np.interp(MIDDLE_GREY, grid, curve)
    return np.interp(stops, grid, curve - grid)


class Tone(LightStep[ToneParameters]):
    """A curve on luminance."""

    name, station, title, parameters = "tone", "light", "Contrast", ToneParameters

    def automatic(self, scene: SceneLight) -> dict[str, float]:
        return {"contrast": automatic_light(scene).contrast}

    def act(self, program: Program, parameters: ToneParameters, scene: SceneLight) -> None:
        contrast = parameters.contrast
        assert contrast is not None, "it is resolved"
        if contrast != 1.0 or parameters.toe or parameters.shoulder:
            program.curve(lambda stops: tone_ev(stops, contrast, parameters.toe, parameters.shoulder))

    def bend(self, program: Program, bends: Mapping[str, float], parameters: ToneParameters, scene: SceneLight) -> None:
        if bends["contrast"] != 1.0:
            program.curve(lambda stops: tone_ev(stops, bends["contrast"], 0.0, 0.0))
