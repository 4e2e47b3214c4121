"""Lens: taking its distortion and lateral colour back, by hand.

Light that a lens without faults would have drawn at the radius *r* from the middle, in half diagonals of the scene, was
drawn at *r (1 + d r²)* (Brown 1966, first radial term); red and blue at a scale of their own.
"""

from dataclasses import replace

import numpy as np

from crenn.core.pipeline.frame import LensMap
from crenn.core.pipeline.step import FrameStep, StepParameters, dial


class LensParameters(StepParameters):
    distortion: float = dial(
        0.0,
        "%",
        -15,
        15,
        0.05,
        "Distortion",
        "How far outwards the corners were drawn; inwards below nothing, as a barrel.",
    )
    red: float = dial(
        0.0,
        "‰",
        -5,
        5,
        0.01,
        "Red",
        "How much larger than green the lens drew red: takes back fringes of red and cyan.",
    )
    blue: float = dial(
        0.0,
        "‰",
        -5,
        5,
        0.01,
        "Blue",
        "How much larger than green the lens drew blue: takes back fringes of blue and yellow.",
    )


class LensCorrection(FrameStep[LensParameters]):
    """A radial map behind everything else, for each colour its own."""

    name, station, title, parameters = "lens", "geometry", "Lens", LensParameters
    folded = True

    def frame(self, frame, parameters):
        p = parameters
        if not (p.distortion or p.red or p.blue):
            return frame
        middle = np.array([frame.scene[1], frame.scene[0]]) / 2
        half = float(np.hypot(*middle))
        scales = (1 + p.red / 1000, 1.0, 1 + p.blue / 1000)

        def recorded(points: np.ndarray, channel: int) -> np.ndarray:
            out = np.asarray(points, np.float64) - middle
            radius2 = (out**2).sum(-1, keepdims=True) / half**2
            return middle + out * (scales[channel] * (1 + p.distortion / 100 * radius2))

        return replace(frame, lens=LensMap(("radial", p.distortion, p.red, p.blue), recorded, bool(p.red or p.blue)))
