"""Shapes of masks: how much of a place lies in a gradient or an ellipse.

Places are shares of the scene plane's longer side. All shapes fall from 1 to 0 along x²(3 − 2x), so that they begin
and end without a kink.
"""

from typing import Annotated, Literal

import numba as nb
import numpy as np
from pydantic import BaseModel, ConfigDict, Field, model_validator

Share = Annotated[float, Field(ge=-4, le=5)]
Place = Annotated[list[Share], Field(min_length=2, max_length=2)]
#: Places nearer than this are one, in shares of the longer side.
_NEAR = 1e-4


class Part(BaseModel):
    """One part of an area's mask, and how it joins those before it."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False, json_schema_serialization_defaults_required=True)
    mode: Literal["add", "subtract", "intersect"] = Field(
        "add", description="whether it adds to the parts before it, takes away from them, or leaves what both have"
    )
    invert: bool = Field(False, description="takes what lies outside the shape")


class Gradient(Part):
    """Full at ``start``, and falling to nothing at ``end``."""

    kind: Literal["gradient"] = "gradient"
    start: Place
    end: Place

    @model_validator(mode="after")
    def _has_length(self) -> "Gradient":
        if np.hypot(self.end[0] - self.start[0], self.end[1] - self.start[1]) < _NEAR:
            raise ValueError("a gradient needs two places")
        return self

    def mask(self, x: np.ndarray, y: np.ndarray) -> np.ndarray:
        """Share 0–1 of places, float32 like ``x`` and ``y``."""
        dx, dy = self.end[0] - self.start[0], self.end[1] - self.start[1]
        length = dx * dx + dy * dy
        return _gradient(x, y, *map(np.float32, (self.start[0], self.start[1], dx / length, dy / length)))


class Ellipse(Part):
    """Full inside, half on the ellipse itself; it begins and ends to fall by ``feather`` within and beyond it."""

    kind: Literal["ellipse"] = "ellipse"
    centre: Place
    radii: Annotated[list[Annotated[float, Field(ge=0.001, le=4)]], Field(min_length=2, max_length=2)]
    angle: float = Field(0.0, ge=-360, le=360, description="of its first radius, in degrees, clockwise")
    feather: float = Field(0.5, ge=0.02, le=1, description="share of the radii over which it falls, to either side")

    def mask(self, x: np.ndarray, y: np.ndarray) -> np.ndarray:
        """Share 0–1 of places, float32 like ``x`` and ``y``."""
        turn = np.radians(self.angle)
        cos, sin = np.cos(turn), np.sin(turn)
        a, b = self.radii
        return _ellipse(
            x, y, *map(np.float32, (*self.centre, cos / a, sin / a, -sin / b, cos / b, 1 / (2 * self.feather)))
        )


AnyPart = Annotated[Gradient | Ellipse, Field(discriminator="kind")]


@nb.njit(parallel=True, cache=True, nogil=True, fastmath=True)
def _gradient(x, y, x0, y0, dx, dy):
    out = np.empty_like(x)
    for i in nb.prange(x.shape[0]):
        for j in range(x.shape[1]):
            t = np.float32(1) - ((x[i, j] - x0) * dx + (y[i, j] - y0) * dy)
            t = min(max(t, np.float32(0)), np.float32(1))
            out[i, j] = t * t * (np.float32(3) - np.float32(2) * t)
    return out


@nb.njit(parallel=True, cache=True, nogil=True, fastmath=True)
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
