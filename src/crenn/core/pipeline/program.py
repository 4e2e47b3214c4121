"""The program of a treatment: instructions that a pixel goes through, written by the steps."""

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from copy import copy
from dataclasses import dataclass
from enum import IntEnum

import numpy as np

from crenn.core.colorimetry.spaces import LUMINANCE
from crenn.core.pipeline.colours import By, Recolour, Recoloured
from crenn.core.pipeline.planes import Carried, GridCurve, NoiseMix, Plane

#: Tables over light cover these stops, relative to 1.0, at this many entries per stop.
TABLE_START, TABLE_END, TABLE_PER_STOP = -32.0, 16.0, 32
TABLE_SIZE = int((TABLE_END - TABLE_START) * TABLE_PER_STOP) + 1
#: Luminance of the picture from which bright colours fade to white, unless the treatment says otherwise.
FADE = 0.55
#: The whole picture, as an instruction's area.
EVERYWHERE = -1


def table_stops() -> np.ndarray:
    """The stops at which tables are sampled, float64 (TABLE_SIZE,)."""
    return np.linspace(TABLE_START, TABLE_END, TABLE_SIZE)


class Operation(IntEnum):
    """What an instruction does."""

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


@dataclass(frozen=True)
class Instruction:
    """One instruction.

    Attributes
    ----------
    operation : Operation
    area : int
        Index of the area under whose mask it acts; `EVERYWHERE` for the whole picture.
    matrix : ndarray, float64 (3, 3), or None
        Of `Operation.MATRIX`, on scene-linear colour.
    amount : float
        EV of `Operation.GAIN`, factor of `Operation.ADD` and `Operation.TINT`, share of `Operation.HAZE`.
    table : ndarray, float64 (TABLE_SIZE,) or (3, TABLE_SIZE), or None
        EV added at a stop, of `Operation.CURVE`; for red, green and blue by their own, of `Operation.CHANNELS`.
    grid : GridCurve or None
    plane : Plane or None
        A plane in EV, of `Operation.ADD`.
    carried : Carried or None
        EV of each place, of `Operation.GRID`; share of the light that is haze, with the airlight, of `Operation.HAZE`;
        how far colours are changed at each place, of `Operation.COLOUR`.
    tinted : tuple of Plane
        Planes in EV for red, green and blue, of `Operation.TINT`.
    mix : NoiseMix or None
        What is taken out, of `Operation.CLEAN`.
    lifted : bool
        Whether it is taken the more, the more a place is lifted.
    colours : Recoloured or None
        What single colours become, of `Operation.COLOUR`.
    """

    operation: Operation
    area: int = EVERYWHERE
    matrix: np.ndarray | None = None
    amount: float = 0.0
    table: np.ndarray | None = None
    grid: GridCurve | None = None
    plane: Plane | None = None
    carried: Carried | None = None
    tinted: tuple[Plane, ...] = ()
    mix: NoiseMix | None = None
    lifted: bool = False
    colours: Recoloured | None = None

    @property
    def reads_base(self) -> bool:
        """Whether it asks to which stop of the scene a place belongs."""
        return self.reads_grid or (self.colours is not None and self.colours.by == "scene")

    @property
    def reads_grid(self) -> bool:
        """Whether it reads a grid that tells what to do by place and stop."""
        return self.grid is not None or self.carried is not None

    @property
    def planes(self) -> tuple[Plane, ...]:
        """The planes that it reads."""
        return self.tinted if self.plane is None else (self.plane,)


class Program:
    """Instructions in the order in which they act, and the display at the end.

    Attributes
    ----------
    instructions : list of Instruction
    display : ndarray, float64 (TABLE_SIZE,), or None
        Luminance 0–1 of the picture over the stop.
    fade : float
        Luminance of the picture from which bright colours fade to white.
    """

    def __init__(self) -> None:
        self.instructions: list[Instruction] = []
        self.display: np.ndarray | None = None
        self.fade = FADE
        self._area = EVERYWHERE
        self._white = np.eye(3)

    @contextmanager
    def under(self, area: int) -> Iterator[None]:
        """Within, instructions act under the mask of an area."""
        self._area = area
        try:
            yield
        finally:
            self._area = EVERYWHERE

    @property
    def shift(self) -> float:
        """EV by which matrices and gains of the whole picture have moved grey so far."""
        return float(np.log2(max(float(LUMINANCE @ self.white), 1e-9)))

    @property
    def white(self) -> np.ndarray:
        """What matrices and gains of the whole picture have made of grey so far, float64 (3,)."""
        return np.asarray(self._white.sum(1))

    @property
    def neutral(self) -> bool:
        """Whether scene-linear light passes unchanged."""
        return not self.instructions

    @property
    def shown(self) -> np.ndarray:
        """The display's table; a `ValueError` if no step has set one."""
        if self.display is None:
            raise ValueError("a picture needs a display transform")
        return self.display

    @property
    def planes(self) -> list[Plane]:
        """The planes that are read, each once."""
        return list({plane.key: plane for i in self.instructions for plane in i.planes}.values())

    @property
    def mixes(self) -> list[NoiseMix]:
        """What is taken out of the light, each once."""
        return list({i.mix.key: i.mix for i in self.instructions if i.mix is not None}.values())

    def without_cleaning(self) -> "Program":
        """The same on light that is taken as it is."""
        out = copy(self)
        out.instructions = [i for i in self.instructions if i.mix is None]
        return out

    def _last(self, operation: Operation) -> Instruction | None:
        """The last instruction, taken out, if a new one of this operation can be folded into it."""
        last = self.instructions[-1] if self.instructions else None
        if last is None or last.operation != operation or last.area != self._area:
            return None
        return self.instructions.pop()

    def matrix(self, matrix: np.ndarray) -> None:
        """Map colours linearly, float64 (3, 3)."""
        matrix = np.asarray(matrix, np.float64)
        if np.array_equal(matrix, np.eye(3)):
            return
        if self._area == EVERYWHERE:
            self._white = matrix @ self._white
        before = self._last(Operation.MATRIX)
        if before is not None and before.matrix is not None:
            matrix = matrix @ before.matrix
        self.instructions.append(Instruction(Operation.MATRIX, self._area, matrix=matrix))

    def gain(self, ev: float) -> None:
        """Brighten by EV."""
        if not ev:
            return
        if self._area == EVERYWHERE:
            self.matrix(np.exp2(ev) * np.eye(3))
        else:
            self.instructions.append(Instruction(Operation.GAIN, self._area, amount=float(ev)))

    def curve(self, added: Callable[[np.ndarray], np.ndarray]) -> None:
        """Add EV by the pixel's own stop as it is by now: ``added`` gives the EV at stops (N,)."""
        before = self._last(Operation.CURVE)
        so_far = np.zeros(TABLE_SIZE) if before is None or before.table is None else before.table
        table = so_far + added(table_stops() + so_far)
        if table.any():
            self.instructions.append(Instruction(Operation.CURVE, self._area, table=table))

    def channels(self, tables: np.ndarray) -> None:
        """Add EV to red, green and blue by each one's own stop as it is by now: tables, float64 (3, TABLE_SIZE)."""
        if tables.any():
            self.instructions.append(Instruction(Operation.CHANNELS, self._area, table=tables))

    def grid(self, reach: float, added: np.ndarray | None = None, stretch: float = 0.0) -> None:
        """Add EV by the base's stop (a table), and stretch what departs from the base; see `GridCurve`."""
        if (added is None or not added.any()) and not stretch:
            return
        grid = GridCurve(float(reach), added, self.shift, float(stretch))
        self.instructions.append(Instruction(Operation.GRID, self._area, grid=grid))

    def carry(self, carried: Carried) -> None:
        """Add the EV that is found for each place on the reduced picture."""
        self.instructions.append(Instruction(Operation.GRID, self._area, carried=carried))

    def add(self, plane: Plane, factor: float) -> None:
        """Add a plane in EV, times a factor."""
        if factor:
            self.instructions.append(Instruction(Operation.ADD, self._area, amount=float(factor), plane=plane))

    def tint(self, planes: tuple[Plane, Plane, Plane], factor: float) -> None:
        """Add planes in EV, times a factor, to red, green and blue; luminance stays what it is."""
        if factor:
            self.instructions.append(Instruction(Operation.TINT, self._area, amount=float(factor), tinted=planes))

    def recolour(self, function: Recolour, by: By, carried: Carried | None = None) -> None:
        """Change single colours; ``by`` tells which stop they are told apart by.

        ``carried`` tells how far at each place, 0 to 1; everywhere if None.
        """
        functions: tuple[Recolour, ...] = (function,)
        last = self.instructions[-1] if self.instructions else None
        if last is not None and last.colours is not None:
            # What is carried to each place by itself cannot be folded into what acts everywhere.
            alike = last.area, last.carried, carried, last.colours.by, last.colours.instead
            if alike == (self._area, None, None, by, ()):
                functions = (*last.colours.functions, function)
                self.instructions.pop()
        colours = Recoloured(by, functions)
        self.instructions.append(Instruction(Operation.COLOUR, self._area, colours=colours, carried=carried))

    def recolour_instead(self, function: Recolour) -> None:
        """Within an area, change colours by a function in place of the last one that the whole picture went through.

        Raises
        ------
        ValueError
            If the whole picture went through something else since.
        """
        last = next((i for i in reversed(self.instructions) if i.area == EVERYWHERE), None)
        if last is None or last.colours is None:
            raise ValueError("only what the whole picture has just gone through can be taken another way in an area")
        functions = last.colours.functions
        colours = Recoloured(last.colours.by, (*functions[:-1], function), functions)
        self.instructions.append(Instruction(Operation.COLOUR, self._area, colours=colours, carried=last.carried))

    def clean(self, mix: NoiseMix, lifted: bool) -> None:
        """Take noise out of the light; where ``lifted``, the more the more a place is lifted."""
        self.instructions.append(Instruction(Operation.CLEAN, self._area, mix=mix, lifted=lifted))

    def haze(self, carried: Carried, share: float) -> None:
        """Take away a share of the haze, or add it; ``carried`` tells how much of each place's light is airlight."""
        if share:
            self.instructions.append(Instruction(Operation.HAZE, self._area, amount=float(share), carried=carried))

    def show(self, table: np.ndarray, fade: float = FADE) -> None:
        """Set the display: luminance 0–1 over the stop, float64 (TABLE_SIZE,), and from which on colours fade."""
        self.display, self.fade = table, fade
