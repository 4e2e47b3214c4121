"""Turn: quarter turns and the mirror."""

from typing import Literal

import numpy as np

from crenn.core.pipeline.picture_geometry import PictureGeometry
from crenn.core.pipeline.scene import SceneLight
from crenn.core.pipeline.step import FrameStep, StepParameters, choice, toggle


class TurnParameters(StepParameters):
    quarters: Literal["0", "1", "2", "3"] = choice(
        "0", "Quarter turns", "Clockwise.", {"0": "none", "1": "to the right", "2": "upside down", "3": "to the left"}
    )
    mirror: bool = toggle(False, "Mirror", "Swaps left and right.")


class Turn(FrameStep[TurnParameters]):
    """Turns by right angles and mirrors; no pixel is resampled for it alone."""

    name, station, title, parameters = "turn", "geometry", "Turn", TurnParameters
    folded = True

    def frame(self, frame: PictureGeometry, parameters: TurnParameters, scene: SceneLight) -> PictureGeometry:
        height, width = frame.size
        if parameters.mirror:
            frame = frame.after(np.array([[-1, 0, width], [0, 1, 0], [0, 0, 1.0]]))
        # From the turned plane back to the one before it.
        back = {
            "1": np.array([[0, 1, 0], [-1, 0, height], [0, 0, 1.0]]),
            "2": np.array([[-1, 0, width], [0, -1, height], [0, 0, 1.0]]),
            "3": np.array([[0, -1, width], [1, 0, 0], [0, 0, 1.0]]),
        }.get(parameters.quarters)
        if back is None:
            return frame
        return frame.after(back, (width, height) if parameters.quarters != "2" else (height, width))
