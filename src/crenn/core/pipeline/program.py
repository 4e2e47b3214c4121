"""The program of a treatment: instructions that a pixel goes through, written by the steps."""

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from copy import copy
from dataclasses import replace
from typing import Literal, TypeVar

import numpy as np

from crenn.core.colorimetry.spaces import LUMINANCE
from crenn.core.pipeline.colours import By, Colours, Recolour, Recoloured
from crenn.core.pipeline.effects import Effect
from crenn.core.pipeline.instructions import (
    EVERYWHERE,
    TABLE_SIZE,
    AddPlane,
    Channels,
    Clean,
    Colour,
    Curve,
    Gain,
    Grid,
    Haze,
    Instruction,
    Lay,
    Matrix,
    Tint,
    table_stops,
)
from crenn.core.pipeline.planes import GridCurve, GuidedField, NoiseMix, Plane

#: Luminance of the picture from which bright colours fade to white, unless the treatment says otherwise.
FADE = 0.55
I = TypeVar("I", bound=Instruction)
#: What of the light an area changes, or that what it makes of the light is added to it.
Acts = Literal["light", "lightness", "colour", "added"]


class Program:
    """Instructions in the order in which they act, and the display at the end.

    Attributes
    ----------
    instructions : list of Instruction
    effects : list of Effect
        What is done to the picture's light after the instructions of light, in order.
    display : ndarray, float64 (TABLE_SIZE,), or None
        Luminance 0–1 of the picture over the stop.
    fade : float
        Luminance of the picture from which bright colours fade to white.
    """

    def __init__(self) -> None:
        self.instructions: list[Instruction] = []
        self.effects: list[Effect] = []
        self._of_light = 0
        self._reaching: Callable[[float], np.ndarray] | None = None
        self.display: np.ndarray | None = None
        self.fade = FADE
        self._area = EVERYWHERE
        self._acts: Acts = "light"
        self._white = np.eye(3)

    @contextmanager
    def under(self, area: int, acts: Acts = "light") -> Iterator[None]:
        """Within, instructions act under the mask of an area, on all of the light or on its lightness or colour alone.

        What takes noise or haze away acts on both.
        """
        self._area, self._acts = area, acts
        try:
            yield
        finally:
            self._area, self._acts = EVERYWHERE, "light"

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

    def reaching(self, peak: float) -> np.ndarray:
        """The display's table where what is brighter than white is shown, up to ``peak``."""
        if self._reaching is None:
            raise ValueError("a picture needs a display transform")
        return self._reaching(peak)

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
        out._of_light = sum(i.mix is None for i in self.instructions[: self._of_light])
        return out

    def _last(self, kind: type[I]) -> I | None:
        """The last instruction, taken out, if it is of a kind and under the same area: a new one is folded into it."""
        last = self.instructions[-1] if self.instructions else None
        if not isinstance(last, kind) or last.area != self._area:
            return None
        self.instructions.pop()
        return last

    def write(self, instruction: Instruction) -> None:
        """Write an instruction, under the area that is being written for."""
        self.instructions.append(instruction.under(self._area))

    def matrix(self, matrix: np.ndarray) -> None:
        """Map colours linearly, float64 (3, 3)."""
        matrix = np.asarray(matrix, np.float64)
        if self._acts == "colour":
            # Grey stays as light as it was.
            matrix = matrix / max(float(LUMINANCE @ matrix.sum(1)), 1e-6)
        if np.array_equal(matrix, np.eye(3)) or self._acts == "lightness":
            return
        if self._area == EVERYWHERE:
            self._white = matrix @ self._white
        before = self._last(Matrix)
        self.write(Matrix(matrix=matrix if before is None else matrix @ before.matrix))

    def gain(self, ev: float) -> None:
        """Brighten by EV."""
        if not ev or self._acts == "colour":
            return
        if self._area == EVERYWHERE:
            self.matrix(np.exp2(ev) * np.eye(3))
        else:
            self.write(Gain(ev=float(ev)))

    def curve(self, added: Callable[[np.ndarray], np.ndarray]) -> None:
        """Add EV by the pixel's own stop as it is by now: ``added`` gives the EV at stops (N,)."""
        if self._acts == "colour":
            return
        before = self._last(Curve)
        so_far = np.zeros(TABLE_SIZE) if before is None else before.table
        table = so_far + added(table_stops() + so_far)
        if table.any():
            self.write(Curve(table=table))

    def channels(self, tables: np.ndarray) -> None:
        """Add EV to red, green and blue by each one's own stop as it is by now: tables, float64 (3, TABLE_SIZE)."""
        mean = LUMINANCE @ tables
        if self._acts == "lightness":
            self.curve(lambda stops: np.interp(stops, table_stops(), mean))
            return
        if self._acts == "colour":
            tables = tables - mean
        if tables.any():
            self.write(Channels(each=tables))

    def grid(self, reach: float, added: np.ndarray | None = None, stretch: float = 0.0) -> None:
        """Add EV by the base's stop (a table), and stretch what departs from the base; see `GridCurve`."""
        if ((added is None or not added.any()) and not stretch) or self._acts == "colour":
            return
        self.write(Grid(source=GridCurve(float(reach), added, self.shift, float(stretch))))

    def carry(self, carried: GuidedField) -> None:
        """Add the EV that is found for each place on the reduced picture."""
        if self._acts != "colour":
            self.write(Grid(source=carried))

    def add(self, plane: Plane, factor: float) -> None:
        """Add a plane in EV, times a factor."""
        if factor and self._acts != "colour":
            self.write(AddPlane(plane=plane, factor=float(factor)))

    def tint(self, planes: tuple[Plane, Plane, Plane], factor: float) -> None:
        """Add planes in EV, times a factor, to red, green and blue; luminance stays what it is."""
        if factor and self._acts != "lightness":
            self.write(Tint(each=planes, factor=float(factor)))

    def recolour(self, function: Recolour, by: By, carried: GuidedField | None = None) -> None:
        """Change single colours; ``by`` tells which stop they are told apart by.

        ``carried`` tells how far at each place, 0 to 1; everywhere if None.
        """
        functions: tuple[Recolour, ...] = (self._of(function, _unchanged),)
        last = self.instructions[-1] if self.instructions else None
        if isinstance(last, Colour):
            # What is carried to each place by itself cannot be folded into what acts everywhere.
            alike = last.area, last.share, carried, last.recoloured.by, last.recoloured.replaces
            if alike == (self._area, None, None, by, ()):
                functions = (*last.recoloured.functions, *functions)
                self.instructions.pop()
        self.write(Colour(recoloured=Recoloured(by, functions), share=carried))

    def _of(self, function: Recolour, other: Recolour) -> Recolour:
        """What of a change of colours the area makes that is written for; of the rest, what another one makes."""
        if self._acts == "light":
            return function
        lightness = self._acts == "lightness"

        def parted(colours: Colours) -> Colours:
            own, rest = function(colours), other(colours)
            light, colour = (own, rest) if lightness else (rest, own)
            return replace(colour, ev=light.ev)

        return parted

    def recolour_instead(self, function: Recolour) -> None:
        """Within an area, change colours by a function in place of the last one that the whole picture went through.

        Raises
        ------
        ValueError
            If the whole picture went through something else since.
        """
        last = next((i for i in reversed(self.instructions) if i.area == EVERYWHERE), None)
        if not isinstance(last, Colour):
            raise ValueError("only what the whole picture has just gone through can be taken another way in an area")
        functions = last.recoloured.functions
        colours = Recoloured(last.recoloured.by, (*functions[:-1], self._of(function, functions[-1])), functions)
        self.write(Colour(recoloured=colours, share=last.share))

    def clean(self, mix: NoiseMix, lifted: bool, colour_left: float) -> None:
        """Take noise out of the light; where ``lifted``, the more the more a place is lifted; see `Clean`."""
        self.write(Clean(noise=mix, lifted=lifted, colour_left=colour_left))

    def haze(self, carried: GuidedField, share: float) -> None:
        """Take away a share of the haze, or add it; ``carried`` tells how much of each place's light is airlight."""
        if share:
            self.write(Haze(airlight=carried, share=float(share)))

    def lay(self, area: int, added: bool) -> None:
        """Lay what the picture is otherwise over it, or add its light, under the mask of an area; see `Lay`."""
        self.instructions.append(Lay(area=area, added=added))

    def finished(self) -> None:
        """Note that all instructions of light are written: effects act after them, what is written now after those."""
        self._of_light = len(self.instructions)

    def finish(self, effect: Effect, amount: float, always: bool = False) -> None:
        """Have an effect act, by an amount in the area that is written for; ``always`` also by none."""
        if not amount and not always:
            return
        own = (self._area, float(amount))
        if self.effects and self.effects[-1].name == effect.name:
            last = self.effects.pop()
            self.effects.append(replace(last, amounts=(*last.amounts, own)))
        else:
            self.effects.append(replace(effect, amounts=(own,)))

    def parted(self) -> "tuple[Program, Program]":
        """What acts before the effects, and what after them."""
        before, after = copy(self), copy(self)
        before.instructions, after.instructions = (
            self.instructions[: self._of_light],
            self.instructions[self._of_light :],
        )
        before.effects, after.effects = [], []
        return before, after

    def show(self, reaching: Callable[[float], np.ndarray], fade: float = FADE) -> None:
        """Set the display, and from which luminance on colours fade.

        ``reaching`` gives luminance over the stop, float64 (TABLE_SIZE,), for the brightest that is shown: 1 is white.
        """
        self._reaching, self.display, self.fade = reaching, reaching(1.0), fade


def _unchanged(colours: Colours) -> Colours:
    return colours
