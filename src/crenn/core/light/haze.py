"""Haze: the light of the air between, taken away or added, by the airlight that the picture itself shows."""

from collections.abc import Mapping

import cv2
import numpy as np

from crenn.core.colorimetry.spaces import luminance
from crenn.core.pipeline.planes import GuidedField, PlaneContext
from crenn.core.pipeline.program import Program
from crenn.core.pipeline.scene import SceneLight
from crenn.core.pipeline.step import Bend, LightStep, StepParameters, dial

#: Side of the patches in which something dark is expected, deviation of the guided filter's windows, and of the grid
#: that carries what is found, in % of the picture's longer side.
_PATCH, _GUIDED, _REACH = 1.6, 2.5, 2.5
#: Contrast, in stops, that counts as an edge of the haze.
_EDGE = 0.35
#: Share of the dark channel's brightest places that the airlight is taken from.
_HAZIEST = 0.01
#: What is brighter than this share of the picture is no air; the air is so much greyer than its brightest places, whose
#: colour is that of what lights them.
_SOURCE, _GREY = 0.95, 0.6
#: Taking all of the haze away would leave nothing of what is far off.
_MOST = 0.9
#: Signal to noise below which light is left as it is: its haze cannot be told from noise.
_GUARD = 8.0


class HazeParameters(StepParameters):
    amount: float = dial(
        0.0,
        "%",
        -100,
        100,
        1,
        "Cut haze",
        "Takes away the light of the air between, the more the farther off; below nothing it adds mist.",
        bend=Bend("add", -100, 100, 1),
    )


def haze_of(rgb: np.ndarray, around: PlaneContext) -> tuple[np.ndarray, np.ndarray]:
    """How much of the light of each place is airlight, float32 (h, w), 0 to 1, and the airlight, float64 (3,).

    Without haze, nearly every patch has something dark in some colour; so what the darkest has, relative to the
    airlight, is haze (dark channel prior; He, Sun and Tang 2011), refined by a guided filter. The airlight is the mean
    of the haziest places; sources of light have no part in it. Where noise rules
    nothing is taken for haze.

    Parameters
    ----------
    rgb : ndarray, float32 (h, w, 3)
    around : PlaneContext
    """
    side = around.long_side * around.scale
    patch = max(round(_PATCH / 100 * side) | 1, 3)
    kernel = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (patch, patch))
    light = np.maximum(rgb, 0)
    darkest = cv2.erode(light.min(-1), kernel)
    y = luminance(light)
    # What is brighter than nearly all of the picture is a source of light, and no air.
    darkest[y > np.quantile(y, _SOURCE)] = 0
    count = max(int(darkest.size * _HAZIEST), 1)
    haziest = np.argpartition(darkest.ravel(), -count)[-count:]
    seen = np.maximum(light.reshape(-1, 3)[haziest].astype(np.float64).mean(0), around.floor)
    air = _GREY * float(luminance(seen)) + (1 - _GREY) * seen
    share = np.clip(cv2.erode((light / air.astype(np.float32)).min(-1), kernel), 0, 1).astype(np.float32)
    stops = np.log2(np.maximum(y, around.floor)).astype(np.float32)
    refined = _guided(share, stops, _GUIDED / 100 * side)
    if around.noise is not None:
        # Averaged to this size, noise is less.
        snr = np.log2(np.e) / np.maximum(around.noise(stops) * min(around.scale, 1.0), 1e-6)
        refined = refined * (snr**2 / (snr**2 + _GUARD**2))
    return np.clip(refined, 0, 1).astype(np.float32), air


def _guided(values: np.ndarray, guide: np.ndarray, sigma: float) -> np.ndarray:
    """Guided filter (He, Sun and Tang 2013) with Gaussian windows."""

    def mean(plane: np.ndarray) -> np.ndarray:
        return cv2.GaussianBlur(plane, (0, 0), sigma)

    of_guide, of_values = mean(guide), mean(values)
    variance = np.maximum(mean(guide * guide) - of_guide**2, 0)
    slope = (mean(guide * values) - of_guide * of_values) / (variance + np.float32(_EDGE**2))
    return np.asarray(mean(slope) * guide + mean(of_values - slope * of_guide))


_HAZE = GuidedField("haze", (), _REACH, haze_of)


class Haze(LightStep[HazeParameters]):
    """Takes airlight away or adds it, before anything else happens to the light."""

    name, station, title, parameters = "haze", "light", "Cut haze", HazeParameters

    def act(self, program: Program, parameters: HazeParameters, scene: SceneLight) -> None:
        program.haze(_HAZE, _MOST * parameters.amount / 100)

    def bend(self, program: Program, bends: Mapping[str, float], parameters: HazeParameters, scene: SceneLight) -> None:
        program.haze(_HAZE, _MOST * bends["amount"] / 100)
