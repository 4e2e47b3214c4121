"""Level: turning the picture until the horizon lies and towers stand."""

import numpy as np

from crenn.core.pipeline.picture_geometry import PictureGeometry, about
from crenn.core.pipeline.scene import SceneLight
from crenn.core.pipeline.step import FrameStep, StepParameters, dial

#: An angle is dialled up to this far, in degrees; more is a quarter turn.
MOST = 45.0


class LevelParameters(StepParameters):
    angle: float = dial(0.0, "°", -MOST, MOST, 0.05, "Level", "Turns the picture clockwise about its middle.")


class Level(FrameStep[LevelParameters]):
    """A turn about the middle of the scene."""

    name, station, title, parameters = "level", "geometry", "Level", LevelParameters

    def frame(self, frame: PictureGeometry, parameters: LevelParameters, scene: SceneLight) -> PictureGeometry:
        if not parameters.angle:
            return frame
        turn = np.radians(parameters.angle)
        cos, sin = np.cos(turn), np.sin(turn)
        # From the turned plane back to the one before: the other way round.
        back = np.array([[cos, sin, 0], [-sin, cos, 0], [0, 0, 1.0]])
        height, width = frame.size
        return frame.after(about((width / 2, height / 2), back))
