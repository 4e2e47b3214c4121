"""Instructions: what a program does to a pixel, one class each.

An instruction tells what its kernel reads: a few numbers, tables, a grid, planes, a mix of noise, a table of colours.
`crenn.core.render.encode` numbers those, `crenn.core.render.rows` acts: a new one is a class here and a branch there.
"""

from dataclasses import dataclass, replace
from enum import IntEnum
from functools import cache
from typing import ClassVar

import numpy as np

from crenn.core.pipeline.colours import Recoloured
from crenn.core.pipeline.planes import GridCurve, GuidedField, NoiseMix, Plane

#: Tables over light cover these stops, relative to 1.0, at this many entries per stop.
TABLE_START, TABLE_END, TABLE_PER_STOP = -32.0, 16.0, 32
TABLE_SIZE = int((TABLE_END - TABLE_START) * TABLE_PER_STOP) + 1
#: The whole picture, as an instruction's area.
EVERYWHERE = -1


@cache
def table_stops() -> np.ndarray:
    """The stops at which tables are sampled, float64 (TABLE_SIZE,); to be read alone, for they are kept."""
    stops = np.linspace(TABLE_START, TABLE_END, TABLE_SIZE)
    stops.setflags(write=False)
    return stops


class Operation(IntEnum):
    """By which kernels tell instructions apart."""

    MATRIX = 0
    GAIN = 1
    CURVE = 2
    GRID = 3
    ADD = 4
    CHANNELS = 5
    HAZE = 6
    TINT = 7
    CLEAN = 8
    COLOUR = 9
    LAY = 10


@dataclass(frozen=True, eq=False)
class Instruction:
    """One instruction.

    Attributes
    ----------
    area : int
        Index of the area under whose mask it acts; `EVERYWHERE` for the whole picture.
    """

    operation: ClassVar[Operation]
    area: int = EVERYWHERE

    def under(self, area: int) -> "Instruction":
        """The same under the mask of an area."""
        return replace(self, area=area)

    @property
    def numbers(self) -> tuple[float, ...]:
        """Up to nine numbers that its kernel reads."""
        return ()

    @property
    def tables(self) -> np.ndarray | None:
        """Tables over the stop that it reads, float64 (N, TABLE_SIZE)."""
        return None

    @property
    def curve(self) -> GridCurve | None:
        """What is added over the base, where its grid is that."""
        return None

    @property
    def carried(self) -> GuidedField | None:
        """What its grid carries to each place, where it is that."""
        return None

    @property
    def by_lift(self) -> bool:
        """Whether its grid tells by how much places are lifted."""
        return False

    @property
    def whole(self) -> bool:
        """Whether it reads what `carried` finds for the whole picture, after its first number."""
        return False

    @property
    def planes(self) -> tuple[Plane, ...]:
        """The planes that it reads, up to three."""
        return ()

    @property
    def mix(self) -> NoiseMix | None:
        """The noise that it reads."""
        return None

    @property
    def colours(self) -> Recoloured | None:
        """What becomes of single colours."""
        return None

    @property
    def has_grid(self) -> bool:
        """Whether it reads a grid."""
        return self.curve is not None or self.carried is not None or self.by_lift

    @property
    def reads_base(self) -> bool:
        """Whether it asks to which stop of the scene a place belongs, without finding that out itself."""
        by_scene = self.colours is not None and self.colours.by == "scene"
        return self.curve is not None or self.carried is not None or by_scene


@dataclass(frozen=True, eq=False)
class Matrix(Instruction):
    """Maps scene-linear colours linearly, float64 (3, 3)."""

    operation = Operation.MATRIX
    matrix: np.ndarray = None  # type: ignore[assignment]

    @property
    def numbers(self) -> tuple[float, ...]:
        return tuple(self.matrix.ravel())


@dataclass(frozen=True, eq=False)
class Gain(Instruction):
    """Brightens by EV, within an area."""

    operation = Operation.GAIN
    ev: float = 0.0

    @property
    def numbers(self) -> tuple[float, ...]:
        return (self.ev,)


@dataclass(frozen=True, eq=False)
class Curve(Instruction):
    """Adds EV by a table, float64 (TABLE_SIZE,), over the pixel's own stop."""

    operation = Operation.CURVE
    table: np.ndarray = None  # type: ignore[assignment]

    @property
    def tables(self) -> np.ndarray:
        return self.table[None]


@dataclass(frozen=True, eq=False)
class Channels(Instruction):
    """Adds EV to red, green and blue by tables, float64 (3, TABLE_SIZE), over each one's own stop."""

    operation = Operation.CHANNELS
    each: np.ndarray = None  # type: ignore[assignment]

    @property
    def tables(self) -> np.ndarray:
        return self.each


@dataclass(frozen=True, eq=False)
class Grid(Instruction):
    """Adds the EV of a grid by place and stop: a curve over the base, or what is found on the reduced picture."""

    operation = Operation.GRID
    source: GridCurve | GuidedField = None  # type: ignore[assignment]

    @property
    def curve(self) -> GridCurve | None:
        return self.source if isinstance(self.source, GridCurve) else None

    @property
    def carried(self) -> GuidedField | None:
        return self.source if isinstance(self.source, GuidedField) else None

    @property
    def whole(self) -> bool:
        return self.carried is not None


@dataclass(frozen=True, eq=False)
class AddPlane(Instruction):
    """Adds a plane in EV, times a factor."""

    operation = Operation.ADD
    plane: Plane = None  # type: ignore[assignment]
    factor: float = 1.0

    @property
    def numbers(self) -> tuple[float, ...]:
        return (self.factor,)

    @property
    def planes(self) -> tuple[Plane, ...]:
        return (self.plane,)


@dataclass(frozen=True, eq=False)
class Tint(Instruction):
    """Adds planes in EV, times a factor, to red, green and blue; luminance stays what it is."""

    operation = Operation.TINT
    each: tuple[Plane, ...] = ()
    factor: float = 1.0

    @property
    def numbers(self) -> tuple[float, ...]:
        return (self.factor,)

    @property
    def planes(self) -> tuple[Plane, ...]:
        return self.each


@dataclass(frozen=True, eq=False)
class Haze(Instruction):
    """Takes away a share of the haze, or adds it; its grid tells how much of each place's light is airlight."""

    operation = Operation.HAZE
    airlight: GuidedField = None  # type: ignore[assignment]
    share: float = 0.0

    @property
    def numbers(self) -> tuple[float, ...]:
        return (self.share,)

    @property
    def carried(self) -> GuidedField:
        return self.airlight

    @property
    def whole(self) -> bool:
        return True


@dataclass(frozen=True, eq=False)
class Clean(Instruction):
    """Takes noise out of the light; with ``lifted``, the more the more a place is lifted.

    ``colour_left`` is the energy of colour noise that may stay where as much of luminance's may as 1.
    """

    operation = Operation.CLEAN
    noise: NoiseMix = None  # type: ignore[assignment]
    lifted: bool = False
    colour_left: float = 1.0

    @property
    def numbers(self) -> tuple[float, ...]:
        return (self.colour_left,)

    @property
    def mix(self) -> NoiseMix:
        return self.noise

    @property
    def by_lift(self) -> bool:
        return self.lifted


@dataclass(frozen=True, eq=False)
class Colour(Instruction):
    """Changes single colours; ``share`` tells how far at each place, 0 to 1, everywhere if None."""

    operation = Operation.COLOUR
    recoloured: Recoloured = None  # type: ignore[assignment]
    share: GuidedField | None = None

    @property
    def colours(self) -> Recoloured:
        return self.recoloured

    @property
    def carried(self) -> GuidedField | None:
        return self.share


@dataclass(frozen=True, eq=False)
class Lay(Instruction):
    """Lays another rendering of the place over it under an area's mask, or adds its light; see
    `crenn.core.render.programs.otherwise`."""

    operation = Operation.LAY
    added: bool = False

    @property
    def numbers(self) -> tuple[float, ...]:
        return (float(self.added),)
