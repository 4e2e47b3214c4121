"""Contrast with its toe and shoulder, on luminance, so that hue and saturation stay."""

import numpy as np

from crenn.core.colour.spaces import MIDDLE_GREY
from crenn.core.steps import PixelProgram, Step, StepParameters, dial, table_stops

#: Stops below and above middle grey over which toe and shoulder take hold.
_TOE_SPAN, _SHOULDER_SPAN = 4.0, 2.5


class ToneParameters(StepParameters):
    contrast: float | None = dial(
        None, "×", 0.4, 2.5, 0.01, "Contrast", "Steepness of the middle tones.", group="Curve"
    )
    toe: float = dial(0.0, "%", 0, 100, 1, "Toe", "Flattens the curve in the shadows.", group="Curve")
    shoulder: float = dial(0.0, "%", 0, 100, 1, "Shoulder", "Flattens the curve in the highlights.", group="Curve")


def tone_ev(stops: np.ndarray, contrast: float, toe: float, shoulder: float) -> np.ndarray:
    """EV that the curve adds at stops relative to white; nothing at middle grey."""
    grid = table_stops()
    below = np.clip((MIDDLE_GREY - grid) / _TOE_SPAN, 0, 1)
    above = np.clip((grid - MIDDLE_GREY) / _SHOULDER_SPAN, 0, 1)
    slope = contrast * (1 - 0.85 * toe / 100 * below) * (1 - 0.85 * shoulder / 100 * above)
    curve = np.concatenate([[0.0], np.cumsum((slope[1:] + slope[:-1]) / 2 * np.diff(grid))])
    curve += MIDDLE_GREY - np.interp(MIDDLE_GREY, grid, curve)
    return np.interp(stops, grid, curve - grid)


def fold(program: PixelProgram, parameters: ToneParameters, scene) -> None:
    contrast = scene.automatic.contrast if parameters.contrast is None else parameters.contrast
    if contrast == 1.0 and not parameters.toe and not parameters.shoulder:
        return
    program.then_curve(lambda stops: tone_ev(stops, contrast, parameters.toe, parameters.shoulder))


TONE = Step("tone", "light", "Contrast", ToneParameters, fold)
