"""Stars in the picture: how far points of light stand out of the sky."""

from collections.abc import Mapping

import cv2
import numpy as np

from crenn.core.colorimetry.spaces import luminance
from crenn.core.noise.stars import BORDER, star_shares
from crenn.core.pipeline.planes import Plane, PlaneContext
from crenn.core.pipeline.program import Program
from crenn.core.pipeline.scene import SceneLight
from crenn.core.pipeline.step import Bend, LightStep, StepParameters, dial

#: Stops by which a star stands out that stay; and the largest star's radius, in pixels of the view.
_STAYS, _RADIUS = 1.0, 4
#: What stars of a scene that was laid on them are held to.
_HELD = 0.5


class StarsParameters(StepParameters):
    contrast: float | None = dial(
        None,
        "×",
        0.2,
        1.5,
        0.01,
        "Stand out",
        "How far points of light stand out of the sky beyond a stop: less lets them differ in brightness and colour, "
        "where all of them would be white.",
        bend=Bend("factor", 0.2, 1.5, 0.01),
    )


def standing_out(rgb: np.ndarray, around: PlaneContext) -> np.ndarray:
    """By how many stops beyond the first points of light stand out of what is around them, float32 (h, w)."""
    light = luminance(rgb).astype(np.float32)
    deviation = None
    if around.noise is not None:
        stops = np.log2(np.maximum(light, np.float32(around.floor)))
        # Averaged to this size, noise is less.
        deviation = around.noise(stops) * np.float32(np.log(2) * min(around.scale, 1.0)) * light
    disc = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * _RADIUS + 1, 2 * _RADIUS + 1))
    sky = np.maximum(cv2.morphologyEx(light, cv2.MORPH_OPEN, disc), np.float32(around.floor))
    over = np.maximum(np.log2(np.maximum(light, sky) / sky) - _STAYS, 0)
    return np.asarray(over * star_shares(light, deviation, _RADIUS - 1), np.float32)


_STANDING_OUT = Plane("stars.standing out", (), 0.0, standing_out, 2 * BORDER)


class Stars(LightStep[StarsParameters]):
    """A power on what stars are brighter by than the sky around them; the sky stays."""

    name, station, title, parameters = "stars", "light", "Stars", StarsParameters
    folded = True

    def automatic(self, scene: SceneLight) -> dict[str, float]:
        return {"contrast": _HELD if scene.starry else 1.0}

    def act(self, program: Program, parameters: StarsParameters, scene: SceneLight) -> None:
        assert parameters.contrast is not None, "it is resolved"
        program.add(_STANDING_OUT, parameters.contrast - 1.0)

    def bend(
        self, program: Program, bends: Mapping[str, float], parameters: StarsParameters, scene: SceneLight
    ) -> None:
        assert parameters.contrast is not None, "it is resolved"
        program.add(_STANDING_OUT, parameters.contrast * (bends["contrast"] - 1.0))
