"""How a turned camera and a real lens place the light of a scene on the sensor."""

from dataclasses import dataclass

import numpy as np

from crenn.core.geometry.lens import Lens
from crenn.core.geometry.mapping import Mesh


@dataclass(frozen=True)
class Pose:
    """How far the camera is turned from where it should point, in radians; ``roll`` is clockwise."""

    yaw: float = 0.0
    pitch: float = 0.0
    roll: float = 0.0

    @property
    def still(self) -> bool:
        return self.yaw == self.pitch == self.roll == 0.0

    def rotation(self) -> np.ndarray:
        """From the turned camera's axes (right, down, forward) to the right ones, float64 (3, 3)."""
        cy, sy, cp, sp, cr, sr = (f(a) for a in (self.yaw, self.pitch, self.roll) for f in (np.cos, np.sin))
        turn = np.array([[cy, 0, sy], [0, 1, 0], [-sy, 0, cy]])
        nod = np.array([[1, 0, 0], [0, cp, -sp], [0, sp, cp]])
        tilt = np.array([[cr, -sr, 0], [sr, cr, 0], [0, 0, 1]])
        return turn @ nod @ tilt


def view_of_light(lens: Lens, pose: Pose, light: Lens) -> Mesh:
    """Where each pixel of a frame finds its light, in light rendered through a perfect, unturned lens."""
    turn = pose.rotation()
    return Mesh.of(lambda p: light.pixels(lens.directions(p) @ turn.T), lens.size[::-1])


def between(lens: Lens, first: Pose, second: Pose) -> np.ndarray:
    """Homography from the pixels of a frame in one pose to those in another, for a lens without distortion."""
    return lens.matrix @ second.rotation().T @ first.rotation() @ np.linalg.inv(lens.matrix)
