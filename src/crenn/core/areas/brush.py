"""The brush: strokes that build up a mask, and may stop at edges of what lies under them."""

from functools import cached_property
from typing import Annotated, ClassVar, Literal

import numba as nb
import numpy as np
from pydantic import Field, model_validator

from crenn.core.areas.part import Keyed, Part, Scenery, Share
from crenn.core.fastmath import exp2
from crenn.core.pipeline.step import dial

#: Places of strokes are whole numbers of this part of the scene's longer side.
GRID = 16384
#: A brush has at most so many strokes, and a stroke so many points.
MOST_STROKES, MOST_POINTS = 500, 1000
#: What a stroke leaves lies at most so many radii apart, and as much of it so close together is one pass.
_STEP = 0.25
#: A stroke leaves something at so many places at most: one that is very long and thin, farther apart.
_MOST_DABS = 40_000
#: A flow of 100 % leaves this much bare at one pass.
_BARE = 0.002
#: Stops and opponent axes that tell surfaces apart, at the edges' least and most: a distance of 1 is another surface.
_STOPS, _AXES = (2.0, 0.25), (0.25, 0.03)


class BrushStroke(Keyed):
    """One stroke of the brush.

    ``points`` are whole numbers of 1/16384 of the scene's longer side: x and y of the first place, then how far each
    next one lies from the one before.
    """

    points: list[Annotated[int, Field(ge=-4 * GRID, le=5 * GRID)]] = Field(
        min_length=2, max_length=2 * MOST_POINTS, description="x, y, then by how much each next place differs"
    )
    pressure: list[Annotated[int, Field(ge=0, le=255)]] = Field(
        default_factory=list, max_length=MOST_POINTS, description="of a pen at each place, 0 to 255; full if empty"
    )
    radius: float = Field(ge=0.0005, le=0.5, description="in shares of the scene's longer side")
    hardness: float = dial(50.0, "%", 0, 100, 1, "Hardness", "How much of its radius is full.")
    feather: float = dial(0.0, "%", 0, 100, 1, "Feather", "How far it fades beyond its radius, in % of it.")
    flow: float = dial(100.0, "%", 1, 100, 1, "Flow", "How much of the limit one pass leaves.")
    limit: float = dial(100.0, "%", 1, 100, 1, "Limit", "What passes build up to.")
    edges: float = dial(
        0.0, "%", 0, 100, 1, "Keep to edges", "How strictly it stops at edges of light and colour under its middle."
    )
    rubs: bool = Field(False, description="takes away what was painted")

    @model_validator(mode="after")
    def _in_pairs(self) -> "BrushStroke":
        if len(self.points) % 2:
            raise ValueError("each place of a stroke needs x and y")
        if self.pressure and len(self.pressure) != len(self.points) // 2:
            raise ValueError("a stroke tells its pressure at each place or nowhere")
        return self

    @cached_property
    def key(self) -> str:
        """What tells it from other strokes."""
        return self.model_dump_json()

    def places(self) -> np.ndarray:
        """Where it went, in shares of the scene's longer side, float64 (N, 2)."""
        return np.cumsum(np.array(self.points, np.float64).reshape(-1, 2), 0) / GRID

    @cached_property
    def dabs(self) -> np.ndarray:
        """Places that it leaves something at, with how much of a pass each is, float64 (N, 3) of x, y and weight.

        They lie evenly along its line, so that few points tell the same as many.
        """
        places = self.places()
        pressure = np.array(self.pressure, np.float64) / 255 if self.pressure else np.ones(len(places))
        way = np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(places, axis=0).T))])
        if way[-1] == 0:
            return np.array([[*places[0], pressure.max()]])
        count = min(max(int(np.ceil(way[-1] / (_STEP * self.radius))), 1), _MOST_DABS)
        at = np.linspace(0, way[-1], count + 1)
        # On its line one pass adds up to 1: it crosses the full part, and half of what fades.
        across = self.radius * (2 * self.hardness / 100 + (1 + self.feather / 100 - self.hardness / 100))
        weight = np.full(count + 1, way[-1] / count / across)
        # At its ends half a pass is missing, which a click has as well.
        weight[[0, -1]] += 0.5 - weight[[0, -1]] / 2
        columns = [np.interp(at, way, v) for v in (places[:, 0], places[:, 1], pressure)]
        return np.stack([columns[0], columns[1], weight * columns[2]], 1)

    @cached_property
    def bounds(self) -> np.ndarray:
        """Its least and greatest x and y, of all that it leaves anything at, float64 (2, 2)."""
        places, reach = self.places(), self.radius * (1 + self.feather / 100) * 1.05 + 1 / GRID
        return np.stack([places.min(0) - reach, places.max(0) + reach])


class Brush(Part):
    """Strokes, one after the other; each paints over, or rubs out of, what is there by then."""

    kind: Literal["brush"] = "brush"
    strokes: list[BrushStroke] = Field(max_length=MOST_STROKES, description="none: nothing is painted yet")
    shift: Annotated[list[Share], Field(min_length=2, max_length=2)] = Field(
        default_factory=lambda: [0.0, 0.0], description="by how much all of it was moved"
    )
    over: bool = Field(False, description="rubs out of all the mask before it, and not of its own strokes alone")
    #: What its strokes are painted on.
    begins: ClassVar[float] = 0.0

    @property
    def paints_over(self) -> bool:
        """Whether its strokes rub out of what other parts have made."""
        return self.over and self.mode == "add" and not self.invert and any(stroke.rubs for stroke in self.strokes)

    @cached_property
    def over_full(self) -> "Brush":
        """Its strokes on a mask that is full everywhere."""
        return _OverFull.model_construct(**dict(self))

    def share(self, scenery: Scenery) -> np.ndarray:
        return scenery.painted(self)


class _OverFull(Brush):
    """Strokes of a brush on a mask that is full everywhere."""

    begins: ClassVar[float] = 1.0


def painted(
    strokes: list[BrushStroke],
    before: np.ndarray,
    corner: tuple[float, float],
    per_share: float,
    told: np.ndarray,
    centres: list[np.ndarray],
) -> np.ndarray:
    """Paint strokes over a mask.

    Parameters
    ----------
    strokes : list of BrushStroke
    before : ndarray, float32 (h, w)
        The mask that they are painted over; it stays what it is.
    corner : tuple of float
        Where its upper left corner lies, in shares of the scene's longer side.
    per_share : float
        Its pixels along that side.
    told : ndarray, float32 (h, w, 3)
        By what surfaces are told apart (see `appearance_features`); (1, 1, 3) if no stroke asks.
    centres : list of ndarray, float32 (N, 3)
        The same at the dabs of each stroke.
    """
    mask = before.copy()
    for stroke, own in zip(strokes, centres):
        dabs = stroke.dabs.copy()
        dabs[:, 0] = (dabs[:, 0] - corner[0]) * per_share - 0.5
        dabs[:, 1] = (dabs[:, 1] - corner[1]) * per_share - 0.5
        radius = stroke.radius * per_share
        reach = radius * (1 + stroke.feather / 100) + 1
        low, high = dabs[:, :2].min(0) - reach, dabs[:, :2].max(0) + reach
        left, top = (max(int(np.floor(v)), 0) for v in low)
        right, bottom = (min(int(np.ceil(v)) + 1, n) for v, n in zip(high, mask.shape[::-1]))
        if right <= left or bottom <= top:
            continue
        strict = stroke.edges / 100
        stops, axes = (a * (b / a) ** strict for a, b in (_STOPS, _AXES))
        _paint(
            mask,
            (top, bottom, left, right),
            dabs.astype(np.float32),
            np.float32(radius),
            # A brush of less than a pixel still leaves its share of one.
            np.float32(min(stroke.hardness / 100, 1 - min(0.5 / max(radius, 0.5), 1.0))),
            np.float32(max(1 + stroke.feather / 100, stroke.hardness / 100 + 0.02, 1 + 0.5 / max(radius, 0.5))),
            np.float32(-np.log2(max(1 - stroke.flow / 100, _BARE))),
            np.float32(stroke.limit / 100),
            stroke.rubs,
            told,
            own,
            strict > 0,
            np.float32(1 / stops),
            np.float32(1 / axes),
        )
    return mask


@nb.njit(parallel=True, cache=True, nogil=True, fastmath=True, error_model="numpy")
def _paint(mask, box, dabs, radius, full, ends, rate, limit, rubs, told, centres, kept, per_stop, per_axis):
    top, bottom, left, right = box
    zero, one = np.float32(0), np.float32(1)
    fade = one / max(ends - full, np.float32(1e-3))
    reach = radius * ends
    over = one / radius
    for y in nb.prange(top, bottom):
        passed = np.zeros(right - left, np.float32)
        for n in range(dabs.shape[0]):
            down = np.float32(y) - dabs[n, 1]
            half = reach * reach - down * down
            if half <= zero:
                continue
            half = np.sqrt(half)
            first = max(int(np.ceil(dabs[n, 0] - half)), left)
            last = min(int(np.floor(dabs[n, 0] + half)) + 1, right)
            for x in range(first, last):
                across = np.float32(x) - dabs[n, 0]
                away = np.sqrt(across * across + down * down) * over
                t = min(max((ends - away) * fade, zero), one)
                w = dabs[n, 2] * t * t * (np.float32(3) - np.float32(2) * t)
                if kept:
                    a = (told[y, x, 0] - centres[n, 0]) * per_stop
                    b = (told[y, x, 1] - centres[n, 1]) * per_axis
                    c = (told[y, x, 2] - centres[n, 2]) * per_axis
                    # Alike up to half the distance of another surface.
                    s = min(max(np.float32(2) - np.float32(2) * np.sqrt(a * a + b * b + c * c), zero), one)
                    w *= s * s * (np.float32(3) - np.float32(2) * s)
                passed[x - left] += w
        for x in range(left, right):
            if passed[x - left] > np.float32(1e-5):
                covered = one - exp2(-rate * passed[x - left])
                now = mask[y, x]
                if rubs:
                    mask[y, x] = now - now * limit * covered
                elif limit > now:
                    mask[y, x] = now + (limit - now) * covered
