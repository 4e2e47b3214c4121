"""Shapes of masks: how much of a place lies in a gradient or an ellipse.

Places are shares of the scene plane's longer side. All shapes fall from 1 to 0 along x²(3 − 2x), so that they begin
and end without a kink.
"""

from typing import Annotated, Literal

import numba as nb
import numpy as np
from pydantic import Field, model_validator

from crenn.core.areas.part import Part, Place, Scenery
from crenn.core.pipeline.step import dial

#: Places nearer than this are one, in shares of the longer side.
_NEAR = 1e-4


class Gradient(Part):
    """Full at ``start``, and falling to nothing at ``end``.

    Half is reached at ``middle`` of the way. Its lines may be bent to arcs: by ``bow`` times its length, where they are
    as far from its middle as it is long.
    """

    kind: Literal["gradient"] = "gradient"
    start: Place
    end: Place
    middle: float = dial(50.0, "%", 10, 90, 1, "Middle", "Where on its way from full to nothing it is half.")
    bow: float = dial(
        0.0, "×", -1, 1, 0.01, "Bend", "How far its lines are bent back a length away from its middle, in its lengths."
    )

    @model_validator(mode="after")
    def _has_length(self) -> "Gradient":
        if np.hypot(self.end[0] - self.start[0], self.end[1] - self.start[1]) < _NEAR:
            raise ValueError("a gradient needs two places")
        return self

    def share(self, scenery: Scenery) -> np.ndarray:
        x, y = scenery.places()
        dx, dy = self.end[0] - self.start[0], self.end[1] - self.start[1]
        length = dx * dx + dy * dy
        middle = (self.start[0] + self.end[0]) / 2, (self.start[1] + self.end[1]) / 2
        # Schlick's bias (1994) puts half where it should be, and leaves both ends.
        bias = 1 / (1 - self.middle / 100) - 2
        return _gradient(x, y, *map(np.float32, (*middle, dx / length, dy / length, curvature(self.bow), bias)))


def curvature(bow: float) -> float:
    """Curvature of the arc, in 1 over lengths, that bends back by ``bow`` lengths one length aside."""
    return 2 * bow / (1 + bow * bow)


class Ellipse(Part):
    """Full inside, half on the ellipse itself; it begins and ends to fall by ``feather`` within and beyond it."""

    kind: Literal["ellipse"] = "ellipse"
    centre: Place
    radii: Annotated[list[Annotated[float, Field(ge=0.001, le=4)]], Field(min_length=2, max_length=2)]
    angle: float = Field(0.0, ge=-360, le=360, description="of its first radius, in degrees, clockwise")
    feather: float = dial(
        0.5, "×", 0.02, 1, 0.01, "Feather", "Over how much of its radii it falls, within and beyond them."
    )

    def share(self, scenery: Scenery) -> np.ndarray:
        x, y = scenery.places()
        turn = np.radians(self.angle)
        cos, sin = np.cos(turn), np.sin(turn)
        a, b = self.radii
        return _ellipse(
            x, y, *map(np.float32, (*self.centre, cos / a, sin / a, -sin / b, cos / b, 1 / (2 * self.feather)))
        )


@nb.njit(parallel=True, cache=True, nogil=True, fastmath=True, error_model="numpy")
def _gradient(x, y, x0, y0, dx, dy, curved, bias):
    """``dx`` and ``dy`` are its way over its length squared; along it, places count in lengths from the middle."""
    out = np.empty_like(x)
    one, half = np.float32(1), np.float32(0.5)
    for i in nb.prange(x.shape[0]):
        for j in range(x.shape[1]):
            px, py = x[i, j] - x0, y[i, j] - y0
            u, v = px * dx + py * dy, py * dx - px * dy
            # Distance from an arc through the middle, without the centre that a straight line does not have.
            root = one - np.float32(2) * curved * u + curved * curved * (u * u + v * v)
            u = (np.float32(2) * u - curved * (u * u + v * v)) / (one + np.sqrt(max(root, np.float32(0))))
            t = min(max(half + u, np.float32(0)), one)
            t = one - t / (bias * (one - t) + one)
            out[i, j] = t * t * (np.float32(3) - np.float32(2) * t)
    return out


@nb.njit(parallel=True, cache=True, nogil=True, fastmath=True, error_model="numpy")
def _ellipse(x, y, x0, y0, ax, ay, bx, by, steep):
    out = np.empty_like(x)
    for i in nb.prange(x.shape[0]):
        for j in range(x.shape[1]):
            px, py = x[i, j] - x0, y[i, j] - y0
            u, v = ax * px + ay * py, bx * px + by * py
            t = np.float32(0.5) + (np.float32(1) - np.sqrt(u * u + v * v)) * steep
            t = min(max(t, np.float32(0)), np.float32(1))
            out[i, j] = t * t * (np.float32(3) - np.float32(2) * t)
    return out
