"""A program and what it reads, as the kernels take it: here alone it is known what is numbered how."""

from collections.abc import Sequence
from typing import NamedTuple, Protocol

import numpy as np

from crenn.core.pipeline.colours import SPAN
from crenn.core.pipeline.instructions import TABLE_SIZE, Instruction, Lay
from crenn.core.pipeline.program import Program
from crenn.core.render.grid import LAYER, BaseGrid, even_base, looked_up

#: Columns of `KernelInputs.codes`: the operation, the area, the first of the tables, the grid, up to three planes, the
#: first plane of the mix, and the table of colours; −1 for none.
OPERATION, AREA, TABLE, GRID, PLANE, MIX, COLOURS = 0, 1, 2, 3, 4, 7, 8
CODES = 9
#: Numbers of an instruction.
NUMBERS = 9
_NONE_LAID = np.zeros((1, 1, 1, 3), np.float32)


class KernelInputs(NamedTuple):
    """What the kernels are called with.

    Attributes
    ----------
    light : ndarray, float32 (h, w, 3)
    codes : ndarray, int32 (N, CODES)
        See `OPERATION` and those after it.
    numbers : ndarray, float32 (N, NUMBERS)
    tables : ndarray, float32 (T, TABLE_SIZE)
    colours : ndarray, float32 (K, STOPS * HUES * SATURATIONS * 4)
        See `crenn.core.pipeline.colours.Recoloured.table`.
    colours_at : ndarray, float32 (K, 4)
        Of each of those: its first stop, nodes per stop, whether it goes by the scene's stop, and whether it replaces
        what all of the picture went through.
    cells : ndarray, float32 (C,)
        Cells of all grids, one after the other.
    cells_at : ndarray, int64 (G, 4)
        Where each grid's begin, and its rows, columns and layers.
    grids : ndarray, float64 (G, 6)
        Full-size pixels of a cell, first column and columns per pixel, first stop, layers per stop, stretch.
    masks : ndarray, uint16 (A, h, w)
    spans : ndarray, int32 (A, h, 2)
        Columns that each mask touches in each row: the first, and the first after them.
    planes : ndarray, float32 (P, h, w)
    laid : ndarray, float32 (L, h, w, 3)
        The light of other renderings of the place; an instruction's `PLANE` tells which it lays or adds.
    floor : float32
        Least luminance told apart by the base.
    based : bool
        Whether it is asked to which stop of the scene a place belongs.
    top, per_row : float
        The first row, and the rows of a pixel, in full-size pixels.
    """

    light: np.ndarray
    codes: np.ndarray
    numbers: np.ndarray
    tables: np.ndarray
    colours: np.ndarray
    colours_at: np.ndarray
    cells: np.ndarray
    cells_at: np.ndarray
    grids: np.ndarray
    masks: np.ndarray
    spans: np.ndarray
    planes: np.ndarray
    laid: np.ndarray
    floor: np.float32
    based: bool
    top: float
    per_row: float


class Reading(NamedTuple):
    """A grid as an instruction reads it: its cells, float32 (rows, columns, layers), and how it lies.

    ``stretch`` times the pixel's own stop is added.
    """

    cells: np.ndarray
    base: BaseGrid
    stretch: float = 0.0


class Inputs(Protocol):
    """What a program reads, for a window or for an even patch."""

    @property
    def light(self) -> np.ndarray:
        """Float32 (h, w, 3)."""
        ...

    @property
    def floor(self) -> float:
        """Least luminance told apart."""
        ...

    @property
    def column(self) -> tuple[float, float]:
        """The middle of the first column, and columns of the picture per pixel, in full-size pixels."""
        ...

    @property
    def row(self) -> tuple[float, float]:
        """The upper edge of the first row, and rows of the picture per pixel, in full-size pixels."""
        ...

    def masks(self) -> tuple[np.ndarray, np.ndarray]:
        """Masks of the areas and the columns that they touch; see `KernelInputs`."""
        ...

    def planes(self, program: Program) -> np.ndarray:
        """The planes of a program, float32 (P, h, w): those in EV first, then three for each mix of noise."""
        ...

    def laid(self, area: int) -> np.ndarray:
        """The light of the rendering that an area lays over the rest, float32 (h, w, 3)."""
        ...

    def grid(self, instruction: Instruction) -> Reading:
        """The grid that an instruction reads."""
        ...

    def whole(self, instruction: Instruction) -> np.ndarray:
        """What an instruction's grid tells of the whole picture, float64 (N,)."""
        ...


def encode(program: Program, inputs: Inputs) -> KernelInputs:
    """A program with what it reads, as the kernels take it."""
    count = max(len(program.instructions), 1)
    codes, numbers = np.full((count, CODES), -1, np.int32), np.zeros((count, NUMBERS), np.float32)
    tables: list[np.ndarray] = []
    colours: list[np.ndarray] = []
    colours_at: list[tuple[float, ...]] = []
    readings: list[Reading] = []
    laid: list[np.ndarray] = []
    planes, mixes = [plane.key for plane in program.planes], [mix.key for mix in program.mixes]
    for i, one in enumerate(program.instructions):
        codes[i, OPERATION], codes[i, AREA] = one.operation, one.area
        numbers[i, : len(one.numbers)] = one.numbers
        if one.tables is not None:
            codes[i, TABLE] = len(tables)
            tables.extend(one.tables)
        if one.has_grid:
            codes[i, GRID] = len(readings)
            readings.append(inputs.grid(one))
        if one.whole:
            whole = inputs.whole(one)
            numbers[i, 1 : 1 + whole.size] = whole
        for k, plane in enumerate(one.planes):
            codes[i, PLANE + k] = planes.index(plane.key)
        if one.mix is not None:
            codes[i, MIX] = len(planes) + 3 * mixes.index(one.mix.key)
        if isinstance(one, Lay):
            codes[i, PLANE] = len(laid)
            laid.append(inputs.laid(one.area))
        if one.colours is not None:
            codes[i, COLOURS] = len(colours)
            first, step = SPAN[one.colours.by]
            colours.append(one.colours.table.ravel())
            colours_at.append((first, 1 / step, one.colours.by == "scene", bool(one.colours.replaces)))
    masks, spans = inputs.masks()
    cells, cells_at, grids = _stacked(readings, inputs.column)
    return KernelInputs(
        # What is cut out of rows is laid out anew, or kernels would be compiled once more for it.
        np.ascontiguousarray(inputs.light),
        codes[: len(program.instructions)],
        numbers,
        np.stack(tables).astype(np.float32) if tables else np.zeros((1, TABLE_SIZE), np.float32),
        np.stack(colours) if colours else np.zeros((1, 4), np.float32),
        np.array(colours_at, np.float32).reshape(-1, 4),
        cells,
        cells_at,
        grids,
        masks,
        spans,
        inputs.planes(program),
        np.stack(laid) if laid else _NONE_LAID,
        np.float32(inputs.floor),
        any(one.reads_base for one in program.instructions),
        *inputs.row,
    )


def _stacked(readings: Sequence[Reading], column: tuple[float, float]) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Cells of grids, where each begins with its shape, and how each is read; see `KernelInputs`."""
    if not readings:
        return np.zeros(1, np.float32), np.zeros((1, 4), np.int64), np.zeros((1, 6))
    first, per = column
    begins = np.cumsum([0] + [reading.cells.size for reading in readings])
    shapes = [(begin, *reading.cells.shape) for begin, reading in zip(begins, readings)]
    about = [
        (one.base.cell, first / one.base.cell + 1.0, per / one.base.cell, one.base.start, 1.0 / LAYER, one.stretch)
        for one in readings
    ]
    cells = np.concatenate([reading.cells.ravel() for reading in readings])
    return cells, np.array(shapes, np.int64), np.array(about, np.float64)


class EvenPatchInputs:
    """What a program reads of large even patches of grey, one a column: base and pixel stand on the same stop, and
    nothing departs from its surroundings.

    Parameters
    ----------
    stops : ndarray (N,)
    """

    def __init__(self, stops: np.ndarray):
        self.light = np.repeat(np.exp2(stops)[None, :, None], 3, -1).astype(np.float32)
        self._base = even_base()
        self.floor = self._base.floor
        self.column, self.row = (0.0, 0.0), (0.0, 1.0)

    def masks(self) -> tuple[np.ndarray, np.ndarray]:
        return np.zeros((1, 1, 1), np.uint16), np.zeros((1, 1, 2), np.int32)

    def planes(self, program: Program) -> np.ndarray:
        return np.zeros((max(len(program.planes), 1), *self.light.shape[:2]), np.float32)

    def laid(self, area: int) -> np.ndarray:
        return self.light

    def grid(self, instruction: Instruction) -> Reading:
        cells, curve, carried = self._base.cells, instruction.curve, instruction.carried
        if curve is not None:
            return Reading(looked_up(cells, curve), self._base, curve.stretch)
        # No haze lies before a patch of grey; what compresses adds what placement does.
        even = carried.even if carried is not None else None
        return Reading(np.zeros_like(cells) if even is None else np.asarray(even(cells), np.float32), self._base)

    def whole(self, instruction: Instruction) -> np.ndarray:
        return np.zeros(0)
