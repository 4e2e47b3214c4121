"""Perspective: as if the camera had been held straight.

The picture is turned about the camera's two other axes, as a pinhole camera would have drawn it (Hartley and Zisserman
2004, section 8.4). The focal length is not known for sure from a file; angles hold for `FOCAL`.
"""

import numpy as np

from crenn.core.pipeline.picture_geometry import PictureGeometry, about
from crenn.core.pipeline.scene import SceneLight
from crenn.core.pipeline.step import FrameStep, StepParameters, dial

#: Focal length, in longer sides of the scene: that of a 36 mm lens before a frame of 36 by 24 mm.
FOCAL = 1.0


class PerspectiveParameters(StepParameters):
    vertical: float = dial(
        0.0,
        "°",
        -40,
        40,
        0.05,
        "Vertical",
        "Tips the camera: takes back lines that fall together upwards or downwards.",
    )
    horizontal: float = dial(
        0.0, "°", -40, 40, 0.05, "Horizontal", "Swings the camera: takes back lines that fall together to a side."
    )
    aspect: float = dial(
        1.0,
        "×",
        0.5,
        2.0,
        0.01,
        "Aspect",
        "Height of things against their width.",
        usual=False,
    )
    amount: float = dial(
        100.0,
        "%",
        0,
        100,
        1,
        "Amount",
        "How much of vertical and horizontal is taken; a tall tower looks wrong at all of it.",
        usual=False,
    )


def tipped(vertical: float, horizontal: float) -> np.ndarray:
    """The rotation, float64 (3, 3), from rays of the camera as it was to rays of one that is held straight.

    Rays are x to the right, y downwards, z ahead; angles are in degrees.
    """
    v, h = np.radians(vertical), np.radians(horizontal)
    tip = np.array([[1, 0, 0], [0, np.cos(v), -np.sin(v)], [0, np.sin(v), np.cos(v)]])
    swing = np.array([[np.cos(h), 0, -np.sin(h)], [0, 1, 0], [np.sin(h), 0, np.cos(h)]])
    return swing @ tip


class Perspective(FrameStep[PerspectiveParameters]):
    """A homography about the middle of the picture, which stays in its place at its size."""

    name, station, title, parameters = "perspective", "geometry", "Perspective", PerspectiveParameters

    def frame(self, frame: PictureGeometry, parameters: PerspectiveParameters, scene: SceneLight) -> PictureGeometry:
        p = parameters
        share = p.amount / 100.0
        vertical, horizontal = p.vertical * share, p.horizontal * share
        if not vertical and not horizontal and p.aspect == 1.0:
            return frame
        focal = FOCAL * frame.long_side
        camera = np.diag([focal, focal, 1.0])
        there = camera @ tipped(vertical, horizontal) @ np.linalg.inv(camera)
        # Where the middle comes to lie is the new middle, and there a step to the side is as long as it was.
        middle = there @ np.array([0, 0, 1.0])
        x, y = middle[:2] / middle[2]
        width = float(np.hypot(*((there[:2, 0] - np.array([x, y]) * there[2, 0]) / middle[2])))
        back = np.linalg.inv(there) @ np.array([[width, 0, x], [0, width, y], [0, 0, 1.0]])
        back = back @ np.diag([np.sqrt(p.aspect), 1.0 / np.sqrt(p.aspect), 1.0])
        height, wide = frame.size
        return frame.after(about((wide / 2, height / 2), back / back[2, 2]))
