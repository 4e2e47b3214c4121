"""Perspective: as if the camera had been held straight.

The picture is turned about the camera's two other axes, as a pinhole camera would have drawn it (Hartley and Zisserman
2004, section 8.4). Angles are the camera's where the focal length and the sensor's size are known, or are told.
"""

import numpy as np

from crenn.core.pipeline.picture_geometry import PictureGeometry, about
from crenn.core.pipeline.scene import Capture, SceneLight
from crenn.core.pipeline.step import FrameStep, StepParameters, dial

#: Longer side of a frame of 36 by 24 mm, and the focal length that is taken where none is known, in mm.
USUAL = 36.0
_FOCALS = (8.0, 400.0)


class PerspectiveParameters(StepParameters):
    vertical: float = dial(
        0.0,
        "°",
        -60,
        60,
        0.05,
        "Vertical",
        "Tips the camera: takes back lines that fall together upwards or downwards.",
    )
    horizontal: float = dial(
        0.0, "°", -60, 60, 0.05, "Horizontal", "Swings the camera: takes back lines that fall together to a side."
    )
    focal: float | None = dial(
        None,
        "mm",
        *_FOCALS,
        0.5,
        "Focal length",
        "As before a frame of 36 by 24 mm; by itself the lens's, where the size of the sensor is known.",
        usual=False,
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


def equivalent(capture: Capture) -> float:
    """The focal length that gives the same view before a frame of 36 by 24 mm, in mm; `USUAL` where it is not known."""
    if not capture.focal_length or not capture.crop:
        return USUAL
    return float(np.clip(capture.focal_length * capture.crop, *_FOCALS))


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

    def automatic(self, scene: SceneLight) -> dict[str, float]:
        return {"focal": equivalent(scene.capture)}

    def frame(self, frame: PictureGeometry, parameters: PerspectiveParameters, scene: SceneLight) -> PictureGeometry:
        p = parameters
        share = p.amount / 100.0
        vertical, horizontal = p.vertical * share, p.horizontal * share
        if not vertical and not horizontal and p.aspect == 1.0:
            return frame
        focal = (p.focal or equivalent(scene.capture)) / USUAL * frame.long_side
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
