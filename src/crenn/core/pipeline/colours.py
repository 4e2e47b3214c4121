"""What is done to single colours: written as functions, kept as a table over stop, hue and saturation.

A function sees colours as Oklab (`crenn.core.colorimetry.oklab`) in proportion to their lightness, which it keeps
unless it says otherwise; so one table serves light of any level. Functions of neighbouring instructions are composed
at the nodes of one table.
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from functools import cache, cached_property
from typing import Any, Literal

import numpy as np

from crenn.core.colorimetry.oklab import LAB_TO_ROOTS, LMS_TO_REC2020, REC2020_TO_LMS, ROOTS_TO_LAB, hue_of

#: Nodes over stops, around the circle of hues, and from grey to the most saturated.
STOPS, HUES, SATURATIONS = 22, 72, 16
#: Saturation of the last node: no light that there is has more. What has is taken on in proportion.
MOST = 1.2
#: By which stop colours are told apart: the scene's, before all dials, or the picture's, as placed; relative to white.
By = Literal["scene", "picture"]
#: First stop of the nodes and stops from one to the next.
SPAN: dict[By, tuple[float, float]] = {"scene": (-20.0, 1.15), "picture": (-12.0, 0.7)}


def saturation_nodes() -> np.ndarray:
    """Saturations of the nodes, float64 (SATURATIONS,): the closer, the duller."""
    return MOST * np.linspace(0, 1, SATURATIONS) ** 2


@dataclass(frozen=True)
class Colours:
    """Colours at the nodes of a table, arrays of a shape.

    Attributes
    ----------
    stop : ndarray
        Of the scene or of the picture; see `By`.
    a, b : ndarray
        Opponent axes in proportion to lightness.
    ev : ndarray or float
        By how much they have been brightened.
    """

    stop: np.ndarray
    a: np.ndarray
    b: np.ndarray
    ev: np.ndarray | float = 0.0

    @cached_property
    def hue(self) -> np.ndarray:
        """Degrees."""
        return hue_of(self.a, self.b)

    @cached_property
    def saturation(self) -> np.ndarray:
        """Chroma in proportion to lightness."""
        return np.hypot(self.a, self.b)

    def turned(self, degrees: np.ndarray | float) -> "Colours":
        """With other hues."""
        cos, sin = np.cos(np.radians(degrees)), np.sin(np.radians(degrees))
        return replace(self, a=self.a * cos - self.b * sin, b=self.a * sin + self.b * cos)

    def scaled(self, factor: np.ndarray | float) -> "Colours":
        """With another saturation."""
        return replace(self, a=self.a * factor, b=self.b * factor)

    def moved(self, a: np.ndarray | float, b: np.ndarray | float) -> "Colours":
        """Tinted: moved along the opponent axes, in proportion to lightness."""
        return replace(self, a=self.a + a, b=self.b + b)

    def brightened(self, ev: np.ndarray | float) -> "Colours":
        """Brighter, in EV."""
        return replace(self, ev=self.ev + ev)

    def gained(self, red: np.ndarray | float, green: np.ndarray | float, blue: np.ndarray | float) -> "Colours":
        """With red, green and blue light brightened by EV, and lightness kept."""
        # Planes of one channel each: numbers of all pixels that stand side by side are worked on many at once.
        channels = _mixed(LMS_TO_REC2020, [v * v * v for v in _mixed(LAB_TO_ROOTS, [1.0, self.a, self.b])])
        brighter = [v * np.exp2(ev) for v, ev in zip(channels, (red, green, blue))]
        light, a, b = _mixed(ROOTS_TO_LAB, [np.cbrt(v) for v in _mixed(REC2020_TO_LMS, brighter)])
        light = np.maximum(light, 0.05)
        return replace(self, a=a / light, b=b / light)


def _mixed(matrix: np.ndarray, planes: Sequence[Any]) -> list[Any]:
    """Planes mixed by a matrix, in the precision that they have."""
    return [sum(float(m) * plane for m, plane in zip(row, planes)) for row in matrix]


#: What is done to colours.
Recolour = Callable[[Colours], Colours]


@dataclass(frozen=True)
class Recoloured:
    """What an instruction does to colours: functions, one after the other.

    Attributes
    ----------
    by : "scene" or "picture"
        By which stop colours are told apart.
    functions : tuple of callable
    replaces : tuple of callable
        Those of the instruction for the whole picture in whose place, within an area, these act: on the colours that
        entered it. None if these act on the colours as they are by now.
    """

    by: By
    functions: tuple[Recolour, ...]
    replaces: tuple[Recolour, ...] = ()

    @cached_property
    def table(self) -> np.ndarray:
        """What becomes of colours at the nodes, float32 (STOPS, HUES, SATURATIONS, 4).

        Change of the axis along the colour's own hue, of that across it, both in proportion to lightness, EV, and
        nothing: four numbers are read at once.
        """
        table = changes(self.functions, nodes(self.by), self.by)
        return table - changes(self.replaces, nodes(self.by), self.by) if self.replaces else table


@cache
def nodes(by: By) -> Colours:
    """Colours of the nodes, float32 of shape (STOPS, HUES, SATURATIONS)."""
    first, step = SPAN[by]
    hue = np.radians(np.arange(HUES) * (360.0 / HUES))[:, None]
    saturation = saturation_nodes()
    shape = STOPS, HUES, SATURATIONS
    stop = (first + step * np.arange(STOPS))[:, None, None]
    axes = stop, np.cos(hue) * saturation, np.sin(hue) * saturation
    return Colours(*(np.broadcast_to(v, shape).astype(np.float32) for v in axes))


def changes(functions: Sequence[Recolour], before: Colours, by: By) -> np.ndarray:
    """What functions change at colours of the nodes; see `Recoloured.table`."""
    after = before
    for function in functions:
        done = function(after)
        # A picture's stop is that of the light as it is by now.
        after = done if by == "scene" else replace(done, stop=before.stop + done.ev)
    hue = np.radians(np.arange(HUES) * (360.0 / HUES)).astype(np.float32)[:, None]
    a, b = after.a - before.a, after.b - before.b
    along, across = a * np.cos(hue) + b * np.sin(hue), b * np.cos(hue) - a * np.sin(hue)
    out = np.zeros((*along.shape, 4), np.float32)
    out[..., 0], out[..., 1], out[..., 2] = along, across, after.ev
    return out
